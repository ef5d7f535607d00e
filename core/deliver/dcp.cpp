// DNG camera profile: one IFD behind its own magic number (DNG specification 1.4, chapter 6 and appendix).
#include <cmath>
#include <cstring>

#include "deliver/internal.hpp"

namespace refero::deliver {

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
    void signed_rationals(std::uint16_t tag, const colour::Mat3& m) {
        constexpr int denominator = 1'000'000;
        std::vector<unsigned char> bytes;
        for (int i = 0; i < 9; ++i)
            for (const int part : {static_cast<int>(std::lround(m(i / 3, i % 3) * denominator)), denominator}) {
                const auto four = little(static_cast<std::uint32_t>(part), 4);
                bytes.insert(bytes.end(), four.begin(), four.end());
            }
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
        put(magic, 2), put(8, 4), put(static_cast<std::uint32_t>(entries_.size()), 2);
        for (const Entry& e : entries_) {
            put(e.tag, 2), put(e.type, 2), put(e.count, 4);
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
    static std::vector<unsigned char> little(std::uint32_t v, int size) {
        std::vector<unsigned char> bytes;
        for (int i = 0; i < size; ++i) bytes.push_back(static_cast<unsigned char>(v >> 8 * i));
        return bytes;
    }
    std::vector<Entry> entries_;
};

} // namespace

std::vector<unsigned char> dcp_bytes(const fit::Correction& c, const Options& o) {
    const DngMatrices m = dng_matrices(c);
    Ifd ifd;
    const frame::Metadata camera = c.sources.empty() ? frame::Metadata{} : c.sources.front().metadata;
    ifd.text(50708, camera.unique_model.empty() ? camera.camera() : camera.unique_model); // UniqueCameraModel
    ifd.signed_rationals(50721, m.color_matrix);                             // ColorMatrix1
    ifd.short_value(50778, static_cast<std::uint16_t>(m.illuminant));        // CalibrationIlluminant1
    ifd.text(50936, o.name);                                                 // ProfileName
    ifd.long_value(50941, 0);                                                // ProfileEmbedPolicy: allow copying
    ifd.text(50942, "Made with Refero; free to use");                        // ProfileCopyright
    ifd.signed_rationals(50964, m.forward_matrix);                           // ForwardMatrix1
    return ifd.file(0x4352);
}

} // namespace refero::deliver
