// OpenEXR: half floats, scene-linear, with the standard attributes for what the frame says of itself.
#include <ImfChannelList.h>
#include <ImfChromaticitiesAttribute.h>
#include <ImfFrameBuffer.h>
#include <ImfFramesPerSecond.h>
#include <ImfHeader.h>
#include <ImfInputFile.h>
#include <ImfOutputFile.h>
#include <ImfStandardAttributes.h>
#include <ImfStringAttribute.h>

#include "apply/internal/writers.hpp"
#include "frame/timecode.hpp"

namespace refero::apply {

namespace {

Imf::Header header_of(const Strips& p, const frame::Metadata& m, Imf::PixelType type) {
    Imf::Header header(p.width, p.height);
    header.compression() = Imf::ZIP_COMPRESSION;
    for (const char* channel : {"R", "G", "B"}) header.channels().insert(channel, Imf::Channel(type));
    const auto text = [&](const char* name, const std::string& value) {
        if (!value.empty()) header.insert(name, Imf::StringAttribute(value));
    };
    text("software", frame::software_name());
    text("cameraMake", m.make);
    text("cameraModel", m.model);
    text("cameraSerialNumber", m.serial_number);
    text("lensModel", m.lens);
    text("imageUniqueID", m.image_id);
    text("xmp", m.xmp);
    if (const std::string time = frame::exif_time(m.taken); !time.empty()) Imf::addCapDate(header, time);
    if (m.exposure_s > 0) Imf::addExpTime(header, static_cast<float>(m.exposure_s));
    if (m.f_number > 0) Imf::addAperture(header, static_cast<float>(m.f_number));
    if (m.iso > 0) Imf::addIsoSpeed(header, static_cast<float>(m.iso));
    text("reelName", m.reel);
    constexpr double most_numbered = 30.5; // pictures a second that a time code of 32 bits tells apart
    if (const std::uint32_t code = frame::packed_timecode(m.timecode); code && m.frames_per_second < most_numbered)
        Imf::addTimeCode(header, Imf::TimeCode(code & ~(0xc0U << 24), 0, Imf::TimeCode::TV60_PACKING));
    if (m.frames_per_second > 0) Imf::addFramesPerSecond(header, Imf::guessExactFps(m.frames_per_second));
    if (m.position) {
        Imf::addLatitude(header, static_cast<float>(m.position->latitude_deg));
        Imf::addLongitude(header, static_cast<float>(m.position->longitude_deg));
        if (m.position->altitude_m) Imf::addAltitude(header, static_cast<float>(*m.position->altitude_m));
    }
    if (p.white_luminance > 0) Imf::addWhiteLuminance(header, static_cast<float>(p.white_luminance));
    const colour::RgbSpace& space = colour::rgb_space(p.space);
    const auto place = [](const colour::Chromaticity& c) {
        return Imath::V2f(static_cast<float>(c.x), static_cast<float>(c.y));
    };
    if (space.name != "xyz-d50")
        Imf::addChromaticities(
            header, Imf::Chromaticities(place(space.red), place(space.green), place(space.blue), place(space.white)));
    return header;
}

} // namespace

void write_exr(const Strips& p, const frame::Metadata& metadata, bool whole_floats, const std::filesystem::path& file,
               const std::filesystem::path& target) {
    constexpr int band = 16; // lines of one ZIP block
    const Imf::PixelType type = whole_floats ? Imf::FLOAT : Imf::HALF;
    const std::size_t sample = whole_floats ? sizeof(float) : sizeof(half), pixel = 3 * sample,
                      row = static_cast<std::size_t>(p.width) * pixel;
    std::vector<half> lines(whole_floats ? 0 : static_cast<std::size_t>(p.width) * 3 * band);
    try {
        Imf::OutputFile out(file.c_str(), header_of(p, metadata, type));
        for (int y = 0; y < p.height; y += band) {
            const int rows = std::min(band, p.height - y);
            const float* from = p.rows(y, rows);
            for (std::size_t i = 0; !whole_floats && i < static_cast<std::size_t>(rows) * p.width * 3; ++i)
                lines[i] = half(from[i]);
            const char* first =
                whole_floats ? reinterpret_cast<const char*>(from) : reinterpret_cast<const char*>(lines.data());
            // A slice's base is where its pixel 0, 0 would lie.
            char* base = const_cast<char*>(first) - static_cast<std::size_t>(y) * row;
            Imf::FrameBuffer buffer;
            const char* names[] = {"R", "G", "B"};
            for (std::size_t c = 0; c < 3; ++c)
                buffer.insert(names[c], Imf::Slice(type, base + c * sample, pixel, row));
            out.setFrameBuffer(buffer);
            out.writePixels(rows);
        }
    } catch (const Error&) { throw; } catch (const std::exception&) { // OpenEXR's words name the temporary file
        throw Error(ErrorKind::internal, "cannot be written", target, "Check free space and permissions");
    }
}

std::string exr_image_id(const std::filesystem::path& file) {
    try {
        const Imf::InputFile in(file.c_str());
        const auto* id = in.header().findTypedAttribute<Imf::StringAttribute>("imageUniqueID");
        return id ? id->value() : std::string();
    } catch (const std::exception&) { return {}; }
}

} // namespace refero::apply
