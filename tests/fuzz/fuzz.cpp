// Any bytes as a chart definition, or as CGATS text and a table of measurements: they are read, or refused with an
// error, and nothing else. Which of the two, the program's name tells.
#include <cstdint>
#include <functional>

#include "chart/measured.hpp"

using namespace refero;

namespace {

bool definitions = false;

void attempt(const std::function<void()>& read) {
    try {
        read();
    } catch (const Error&) {}
}

} // namespace

extern "C" int LLVMFuzzerInitialize(int*, char*** argv) {
    definitions = std::string((*argv)[0]).find("chart-fuzz") != std::string::npos;
    return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
    if (definitions) {
        attempt([&] { chart::parse_definition(text, "fuzz.json"); });
    } else {
        attempt([&] { chart::parse_reference(text, "fuzz.cgats"); });
        attempt([&] { chart::parse_series(text, "fuzz.csv"); });
    }
    return 0;
}
