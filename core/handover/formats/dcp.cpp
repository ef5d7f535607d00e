// DNG camera profile: one IFD behind its own magic number (DNG specification 1.4, chapter 6 and appendix).
#include <algorithm>
#include <bit>
#include <cmath>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

/// A little-endian IFD whose values that do not fit into an entry lie behind it.
class Ifd {
public:
    void text(std::uint16_t tag, const std::string& s) {
        std::vector<unsigned char> bytes(s.begin(), s.end());
        bytes.push_back(0);
        entries_.push_back({tag, 2, static_cast<std::uint32_t>(bytes.size()), bytes});
    }
    void short_value(std::uint16_t tag, std::uint16_t v) { entries_.push_back({tag, 3, 1, little(v, 2)}); }
    void long_value(std::uint16_t tag, std::uint32_t v) { entries_.push_back({tag, 4, 1, little(v, 4)}); }
    void long_values(std::uint16_t tag, const std::vector<std::uint32_t>& values) {
        std::vector<unsigned char> bytes;
        for (const std::uint32_t v : values) append(bytes, little(v, 4));
        entries_.push_back({tag, 4, static_cast<std::uint32_t>(values.size()), bytes});
    }
    void floats(std::uint16_t tag, const std::vector<float>& values) {
        std::vector<unsigned char> bytes;
        for (const float v : values) append(bytes, little(std::bit_cast<std::uint32_t>(v), 4));
        entries_.push_back({tag, 11, static_cast<std::uint32_t>(values.size()), bytes});
    }
    void signed_rationals(std::uint16_t tag, const colour::Mat3& m) {
        constexpr int denominator = 1'000'000;
        std::vector<unsigned char> bytes;
        for (int i = 0; i < 9; ++i)
            for (const int part : {static_cast<int>(std::lround(m(i / 3, i % 3) * denominator)), denominator})
                append(bytes, little(static_cast<std::uint32_t>(part), 4));
        entries_.push_back({tag, 10, 9, bytes});
    }
    std::vector<unsigned char> file(std::uint16_t magic) {
        std::sort(entries_.begin(), entries_.end(), [](const Entry& a, const Entry& b) { return a.tag < b.tag; });
        std::vector<unsigned char> head{'I', 'I'}, tail;
        const auto put = [&](std::uint32_t v, int size) {
            const auto bytes = little(v, size);
            head.insert(head.end(), bytes.begin(), bytes.end());
        };
        const auto values_at = static_cast<std::uint32_t>(8 + 2 + 12 * entries_.size() + 4);
        put(magic, 2);
        put(8, 4);
        put(static_cast<std::uint32_t>(entries_.size()), 2);
        for (const Entry& e : entries_) {
            put(e.tag, 2);
            put(e.type, 2);
            put(e.count, 4);
            if (e.bytes.size() <= 4) {
                std::vector<unsigned char> four = e.bytes;
                four.resize(4);
                head.insert(head.end(), four.begin(), four.end());
            } else {
                put(values_at + static_cast<std::uint32_t>(tail.size()), 4);
                tail.insert(tail.end(), e.bytes.begin(), e.bytes.end());
                if (tail.size() & 1) tail.push_back(0);
            }
        }
        put(0, 4);
        head.insert(head.end(), tail.begin(), tail.end());
        return head;
    }

private:
    struct Entry {
        std::uint16_t tag, type;
        std::uint32_t count;
        std::vector<unsigned char> bytes;
    };
    static void append(std::vector<unsigned char>& to, const std::vector<unsigned char>& more) {
        to.insert(to.end(), more.begin(), more.end());
    }
    static std::vector<unsigned char> little(std::uint32_t v, int size) {
        std::vector<unsigned char> bytes;
        for (int i = 0; i < size; ++i) bytes.push_back(static_cast<unsigned char>(v >> 8 * i));
        return bytes;
    }
    std::vector<Entry> entries_;
};

} // namespace

std::vector<unsigned char> dcp_bytes(const std::vector<LightPart>& lights, const Options& o) {
    Ifd ifd;
    const fit::Correction& c = lights.front().matrix;
    ifd.text(50708, o.camera_model.empty() ? camera_model_of(c) : o.camera_model); // UniqueCameraModel
    ifd.text(50936, o.name);                                                       // ProfileName
    ifd.long_value(50941, 0);                                                      // ProfileEmbedPolicy: allow copying
    ifd.text(50942, "Made with Refero; free to use");                              // ProfileCopyright
    const bool tables =
        std::all_of(lights.begin(), lights.end(), [](const LightPart& l) { return l.table.has_value(); });
    if (tables) ifd.long_values(50937, {HueTable::hues, HueTable::saturations, 1}); // ProfileHueSatMapDims
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const DngMatrices m = dng_matrices(lights[i].matrix);
        const auto next = static_cast<std::uint16_t>(i);
        ifd.signed_rationals(static_cast<std::uint16_t>(50721 + next), m.color_matrix); // ColorMatrix1, 2
        ifd.short_value(static_cast<std::uint16_t>(50778 + next),
                        static_cast<std::uint16_t>(m.illuminant));                        // CalibrationIlluminant1, 2
        ifd.signed_rationals(static_cast<std::uint16_t>(50964 + next), m.forward_matrix); // ForwardMatrix1, 2
        if (tables)
            ifd.floats(static_cast<std::uint16_t>(50938 + next), lights[i].table->data); // ProfileHueSatMapData1, 2
    }
    return ifd.file(0x4352);
}

namespace {

/// The lights of a profile, the warmer one first.
std::vector<LightPart> light_parts(const fit::Correction& correction, const Options& options) {
    std::vector<LightPart> lights;
    const auto add = [&](const fit::Correction& c) {
        lights.push_back({fit::as_matrix(c), std::nullopt});
        if (!fit::is_matrix(c.model)) lights.back().table = hue_table_of(c, lights.back().matrix);
    };
    add(correction);
    if (!options.second) return lights;
    const fit::Correction& other = *options.second;
    fit::require_one_camera(correction, other);
    add(other);
    if (dng_matrices(lights[0].matrix).illuminant == dng_matrices(lights[1].matrix).illuminant)
        throw Error(ErrorKind::usage,
                    formatted("the lights are too alike for a profile of two: {:.0f} and {:.0f} K",
                              correction.light->kelvin, other.light->kelvin),
                    {}, "Give lights far apart, such as tungsten and daylight");
    // A table for one and none for the other cannot be: an even one takes its place.
    if (lights[0].table.has_value() != lights[1].table.has_value())
        for (LightPart& l : lights)
            if (!l.table) l.table = hue_table_of(l.matrix, l.matrix);
    if (other.light->kelvin < correction.light->kelvin) std::swap(lights[0], lights[1]);
    return lights;
}

} // namespace

std::string camera_model_of(const fit::Correction& c) {
    if (c.sources.empty()) return {};
    const frame::Metadata& camera = c.sources.front().metadata;
    return camera.unique_model.empty() ? camera.camera() : camera.unique_model;
}

std::pair<std::vector<unsigned char>, std::string> camera_profile(const fit::Correction& correction, Options options) {
    if (options.name.empty()) options.name = title_of(correction);
    return {dcp_bytes(light_parts(correction, options), options), options.name};
}

Format dcp_format() {
    return {.id = "dcp",
            .title = "DNG camera profile",
            .extension = ".dcp",
            .what = "For raw developers that take DNG camera profiles. Holds any model as a matrix and a table of hue, "
                    "saturation and value; for one light, or two.",
            .next = "Start the program again: it lists the profile for raw files of \"{model}\" only.",
            .order = 3,
            .options = {Option::second, Option::camera_model},
            .write = [](const fit::Correction&, const fit::Correction& asked, const std::filesystem::path& file,
                        const Options& options, Written& written) {
                const auto bytes = dcp_bytes(light_parts(asked, options), options);
                write_whole(file, std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
                const fit::Correction matrix = fit::as_matrix(asked);
                written.delta_e_2000 =
                    fit::is_matrix(asked.model) ? matrix.fit : proof_of(matrix, hue_table_of(asked, matrix));
                if (!asked.is_matrix() && !fit::is_matrix(asked.model))
                    written.message = ", as a matrix and a table of hue, saturation and value";
                if (options.second)
                    written.message += "; for two lights, between which programs interpolate by temperature";
            }};
}

} // namespace refero::handover
