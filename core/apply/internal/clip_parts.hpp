// Between this room and its part in the module of clips.
#pragma once

#include "apply/clip_writer.hpp"

namespace refero::apply {

struct ClipWriter::Open {
    virtual ~Open() = default;
    virtual void write(const std::uint16_t* codes, int width, int height, double at_s) = 0;
    virtual void finish() = 0;
};

extern "C" ClipWriter::Open* refero_write_clip(const std::filesystem::path& source, const std::filesystem::path& file,
                                               const std::filesystem::path& target, const ClipSettings& settings);
extern "C" void refero_clip_container(const std::filesystem::path& source, Format format, const std::string& asked,
                                      Container& container);
extern "C" void refero_clip_record(const std::filesystem::path& file, std::string& record);

} // namespace refero::apply
