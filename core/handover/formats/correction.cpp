// Refero's own file.
#include "handover/internal/formats.hpp"

namespace refero::handover {

Format correction_format() {
    return {
        .id = "correction",
        .title = "Correction",
        .extension = ".json",
        .what =
            "Refero's own file with all it was made from: reading, reference, candidates, sources. Opens here and in "
            "refero-cli.",
        .next = "Drop it on Refero, or give it to refero-cli.",
        .finish = true,
        .look = true,
        .curves = true,
        .order = 5,
        .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                    const Options&, Written& written) {
            fit::save(held, file);
            written.message = "; with everything the correction was made from";
        }};
}

} // namespace refero::handover
