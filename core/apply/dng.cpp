// A balance written into copies of DNG files (TIFF 6.0, section 2; DNG specification 1.4: AsShotNeutral,
// ExtraCameraProfiles). Nothing else of the file moves: private notes with places of their own stay whole.
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>

#include "apply/internal/writers.hpp"
#include "frame/own_work.hpp"

namespace refero::apply {

namespace fs = std::filesystem;

namespace {

constexpr std::uint16_t dng_version = 50706, as_shot_neutral = 50728, as_shot_white_xy = 50729,
                        extra_camera_profiles = 50933, as_shot_profile_name = 50934;
constexpr std::uint16_t ascii = 2, long_value = 4, rational = 5;
constexpr std::uintmax_t most_bytes = std::uintmax_t{1} << 31;

struct Entry {
    std::uint16_t type;
    std::uint32_t count;
    std::array<unsigned char, 4> value; ///< or where the values lie
};

/// The first directory of a file in memory.
class FirstDirectory {
public:
    FirstDirectory(std::string& bytes, const fs::path& file) : bytes_(bytes), file_(file) {
        if (bytes_.size() < 8) throw broken();
        big_ = bytes_[0] == 'M';
        if (bytes_.compare(0, 2, "II") != 0 && bytes_.compare(0, 2, "MM") != 0) throw no_dng();
        constexpr std::uint32_t usual_tiff = 42, big_tiff = 43;
        if (get(2, 2) == big_tiff)
            throw Error(ErrorKind::input,
                        "this DNG is of the kind for more than 4 GB (BigTIFF), which takes no balance", file_,
                        "Use the balance that the handover's note tells, in the raw developer");
        if (get(2, 2) != usual_tiff) throw no_dng();
        const std::size_t at = get(4, 4), count = get(at, 2);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t entry = at + 2 + 12 * i;
            Entry e{static_cast<std::uint16_t>(get(entry + 2, 2)), get(entry + 4, 4), {}};
            check(entry + 8, 4);
            std::memcpy(e.value.data(), &bytes_[entry + 8], 4);
            entries_[static_cast<std::uint16_t>(get(entry, 2))] = e;
        }
        next_ = get(at + 2 + 12 * count, 4);
        if (!entries_.contains(dng_version)) throw no_dng();
    }

    bool holds(std::uint16_t tag) const { return entries_.contains(tag); }
    void drop(std::uint16_t tag) { entries_.erase(tag); }

    /// Three numbers over the old ones; false where there are none of this shape.
    bool patched(std::uint16_t tag, const colour::Vec3& values) {
        const auto e = entries_.find(tag);
        if (e == entries_.end() || e->second.type != rational || e->second.count != 3) return false;
        const std::size_t at = number(e->second.value.data(), 4);
        check(at, 24);
        const std::string now = rationals(values);
        bytes_.replace(at, now.size(), now);
        return true;
    }

    /// Values of a tag, at the end of the file.
    void append(std::uint16_t tag, std::uint16_t type, std::uint32_t count, const std::string& values) {
        Entry e{type, count, {}};
        if (values.size() <= 4) std::copy(values.begin(), values.end(), e.value.begin());
        else {
            const std::string where = put(add(values), 4);
            std::copy(where.begin(), where.end(), e.value.begin());
        }
        entries_[tag] = e;
    }
    /// Where the bytes begin.
    std::uint32_t add(const std::string& more) {
        if (bytes_.size() & 1) bytes_ += '\0';
        const std::size_t at = bytes_.size();
        bytes_ += more;
        return static_cast<std::uint32_t>(at);
    }
    /// A new directory at the end, in place of the first one.
    void write() {
        std::string directory = put(static_cast<std::uint32_t>(entries_.size()), 2);
        for (const auto& [tag, e] : entries_) // in rising order, as they have to be
            directory += put(tag, 2) + put(e.type, 2) + put(e.count, 4) +
                         std::string(reinterpret_cast<const char*>(e.value.data()), 4);
        directory += put(next_, 4);
        bytes_.replace(4, 4, put(add(directory), 4));
    }
    std::string rationals(const colour::Vec3& values) const {
        constexpr double denominator = 1'000'000;
        std::string all;
        for (const double v : values)
            all += put(static_cast<std::uint32_t>(std::lround(v * denominator)), 4) +
                   put(static_cast<std::uint32_t>(denominator), 4);
        return all;
    }
    std::string put(std::uint32_t v, int size) const {
        std::string all;
        for (int i = 0; i < size; ++i) all += static_cast<char>(v >> 8 * (big_ ? size - 1 - i : i) & 0xff);
        return all;
    }
    std::vector<std::uint32_t> longs(std::uint16_t tag) const {
        std::vector<std::uint32_t> all;
        const auto e = entries_.find(tag);
        if (e == entries_.end() || e->second.type != long_value) return all;
        if (e->second.count == 1) return {number(e->second.value.data(), 4)};
        const std::size_t at = number(e->second.value.data(), 4);
        for (std::size_t i = 0; i < e->second.count; ++i) all.push_back(get(at + 4 * i, 4));
        return all;
    }

private:
    Error no_dng() const {
        return {ErrorKind::input, "this is no DNG: only DNG files take a balance", file_,
                "For other raw files use the balance that the handover's note tells, in the raw developer"};
    }
    Error broken() const {
        return {ErrorKind::input, "the DNG's first directory is damaged", file_, "Copy it again from the card"};
    }
    void check(std::size_t at, std::size_t size) const {
        if (at > bytes_.size() || size > bytes_.size() - at) throw broken();
    }
    std::uint32_t number(const unsigned char* p, int size) const {
        std::uint32_t v = 0;
        for (int i = 0; i < size; ++i) v |= static_cast<std::uint32_t>(p[i]) << 8 * (big_ ? size - 1 - i : i);
        return v;
    }
    std::uint32_t get(std::size_t at, int size) const {
        check(at, static_cast<std::size_t>(size));
        return number(reinterpret_cast<const unsigned char*>(&bytes_[at]), size);
    }

    std::string& bytes_;
    const fs::path& file_;
    bool big_ = false;
    std::map<std::uint16_t, Entry> entries_;
    std::uint32_t next_ = 0;
};

} // namespace

void copy_dng(const fs::path& source, const fs::path& target, const DngChanges& changes, Existing existing) {
    std::string bytes = read_file(source, most_bytes);
    FirstDirectory first(bytes, source);
    bool anew = false;
    if (changes.gains) {
        if (!(changes.gains->minCoeff() > 0) || !changes.gains->allFinite())
            throw Error(ErrorKind::input, "the correction's balance is none that a raw file can bear", source,
                        "Balance on an unclipped neutral patch");
        const colour::Vec3 neutral = changes.gains->cwiseInverse() / changes.gains->cwiseInverse().maxCoeff();
        // One of the two may say it, never both.
        anew = first.holds(as_shot_white_xy);
        first.drop(as_shot_white_xy);
        if (!first.patched(as_shot_neutral, neutral)) {
            first.append(as_shot_neutral, rational, 3, first.rationals(neutral));
            anew = true;
        }
    }
    if (!changes.profile.empty()) {
        std::vector<std::uint32_t> places = first.longs(extra_camera_profiles);
        places.push_back(first.add({changes.profile.begin(), changes.profile.end()}));
        std::string values;
        for (const std::uint32_t at : places) values += first.put(at, 4);
        first.append(extra_camera_profiles, long_value, static_cast<std::uint32_t>(places.size()), values);
        const std::string name = changes.profile_name + '\0';
        first.append(as_shot_profile_name, ascii, static_cast<std::uint32_t>(name.size()), name);
        anew = true;
    }
    if (anew) first.write();
    bytes += frame::copy_mark;
    bytes += changes.record;
    write_whole(target, bytes, existing);
}

std::string dng_record(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    constexpr std::size_t size = frame::copy_mark.size() + frame::copy_record_digits;
    in.seekg(-static_cast<std::streamoff>(size), std::ios::end);
    std::string end(size, '\0');
    in.read(end.data(), static_cast<std::streamsize>(size));
    return in && end.starts_with(frame::copy_mark) ? end.substr(frame::copy_mark.size()) : std::string();
}

} // namespace refero::apply
