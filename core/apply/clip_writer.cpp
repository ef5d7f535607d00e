#include "apply/clip_writer.hpp"

#include "apply/internal/clip_parts.hpp"
#include "frame/module.hpp"

namespace refero::apply {

ClipWriter::ClipWriter(const std::filesystem::path& source, const std::filesystem::path& file,
                       const std::filesystem::path& target, const ClipSettings& settings) {
    static auto* const call = frame::from_module<decltype(refero_write_clip)>("clips", "refero_write_clip");
    open_.reset(call(source, file, target, settings));
}
ClipWriter::~ClipWriter() = default;

void ClipWriter::write(const std::uint16_t* codes, int width, int height, double at_s) {
    open_->write(codes, width, height, at_s);
}

void ClipWriter::finish() { open_->finish(); }

Container container_for(const std::filesystem::path& source, Format format, const std::string& asked) {
    static auto* const call = frame::from_module<decltype(refero_clip_container)>("clips", "refero_clip_container");
    Container container;
    call(source, format, asked, container);
    return container;
}

std::string clip_record(const std::filesystem::path& file) {
    static auto* const call = frame::from_module<decltype(refero_clip_record)>("clips", "refero_clip_record");
    std::string record;
    call(file, record);
    return record;
}

} // namespace refero::apply
