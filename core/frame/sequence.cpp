#include "frame/sequence.hpp"

#include <charconv>
#include <cmath>
#include <map>
#include <utility>

#include "frame/internal/readers.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t least_pictures = 12; ///< half a second; fewer numbered files are pictures of their own
constexpr std::size_t most_digits = 9;

bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// A name cut about its number.
struct Cut {
    std::string before, after;
    std::size_t digits = 0; ///< at least so many; 0: the name has none
};

// The last run of "#", or "%04d".
Cut cut_pattern(const std::string& name) {
    if (const std::size_t last = name.find_last_of('#'); last != std::string::npos) {
        const std::size_t other = name.find_last_not_of('#', last), first = other == std::string::npos ? 0 : other + 1;
        return {name.substr(0, first), name.substr(last + 1), std::min(last + 1 - first, most_digits)};
    }
    const std::size_t percent = name.find_last_of('%'), d = name.find('d', percent);
    if (percent == std::string::npos || d == std::string::npos) return {};
    std::size_t digits = 1;
    if (d > percent + 1) {
        const auto [end, bad] = std::from_chars(name.data() + percent + 1, name.data() + d, digits);
        if (bad != std::errc() || end != name.data() + d || digits > most_digits) return {};
    }
    return {name.substr(0, percent), name.substr(d + 1), std::max<std::size_t>(1, digits)};
}

std::string pattern_of(const Cut& cut) { return cut.before + std::string(cut.digits, '#') + cut.after; }

/// Of a file by a cut name; -1 for others.
long number_in(const std::string& name, const Cut& cut) {
    if (name.size() < cut.before.size() + cut.digits + cut.after.size() || !name.starts_with(cut.before) ||
        !name.ends_with(cut.after))
        return -1;
    const std::string digits = name.substr(cut.before.size(), name.size() - cut.before.size() - cut.after.size());
    const bool longer = digits.size() > cut.digits;
    if (digits.size() > most_digits || (longer && digits.front() == '0')) return -1;
    long number = -1;
    const auto [end, bad] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
    return bad == std::errc() && end == digits.data() + digits.size() && is_digit(digits.front()) ? number : -1;
}

std::map<long, fs::path> numbered(const fs::path& name, const Cut& cut) {
    std::map<long, fs::path> files;
    const fs::path folder = name.has_parent_path() ? name.parent_path() : fs::path(".");
    std::error_code ec;
    for (const auto& entry : fs::directory_iterator(folder, ec)) {
        const long n = number_in(entry.path().filename().string(), cut);
        if (n >= 0) files[n] = name.parent_path() / entry.path().filename();
    }
    return files;
}

bool is_a_recording(const std::string& extension) { return extension == ".exr" || extension == ".dpx"; }

// The last digits before the extension.
Cut cut_file(const fs::path& file) {
    const std::string stem = file.stem().string(), extension = file.extension().string();
    std::size_t first = stem.size();
    while (first > 0 && is_digit(stem[first - 1]) && stem.size() - first < most_digits) --first;
    if (first == stem.size() || !is_a_recording(to_lower(extension))) return {};
    return {stem.substr(0, first), extension, stem.size() - first};
}

// The part of a frame, as a picture of its own.
Frame cut_out(const Frame& whole, const std::array<int, 4>& part) {
    const int x = std::clamp(part[0], 0, whole.width - 1), y = std::clamp(part[1], 0, whole.height - 1);
    Frame f = whole;
    f.full_width = f.width = std::clamp(part[2], 1, whole.width - x);
    f.full_height = f.height = std::clamp(part[3], 1, whole.height - y);
    const auto pixels = static_cast<std::size_t>(f.width) * static_cast<std::size_t>(f.height);
    f.rgb.resize(pixels * 3);
    if (!f.clipped.empty()) f.clipped.resize(pixels);
    for (int r = 0; r < f.height; ++r) {
        std::copy_n(whole.at(x, y + r), 3 * f.width, f.at(0, r));
        if (!f.clipped.empty())
            std::copy_n(&whole.clipped[static_cast<std::size_t>(y + r) * whole.width + x], f.width,
                        &f.clipped[static_cast<std::size_t>(r) * f.width]);
    }
    return f;
}

/// Cut and made small as asked.
Frame given(const Frame& whole, const StillOptions& options) {
    if (!options.part && options.most_width <= 0) return whole;
    Frame f = options.part ? cut_out(whole, *options.part) : whole;
    return options.most_width > 0 ? smaller(f, options.most_width) : f;
}

constexpr double usual_rate = 24; ///< of pictures whose files do not tell

class OpenSequence final : public ClipReader::Open {
public:
    explicit OpenSequence(const fs::path& name) : sequence_(sequence_named(name)) {
        const Frame first = frame::read(sequence_.files.front());
        const Metadata& m = first.metadata;
        clip_ = {.width = first.full_width,
                 .height = first.full_height,
                 .frames_per_second = m.frames_per_second > 0 ? m.frames_per_second : usual_rate,
                 .make = m.make,
                 .model = m.model,
                 .taken = m.taken,
                 .timecode = m.timecode,
                 .reel = m.reel};
        clip_.duration_s = static_cast<double>(sequence_.files.size()) / clip_.frames_per_second;
    }
    const Clip& clip() const override { return clip_; }
    double shown_s() const override { return static_cast<double>(shown_) / clip_.frames_per_second; }
    void look_among(ClipReader::Among) override {} // each is whole
    Frame still(double position_s, const StillOptions& options, const std::stop_token& stop) override {
        const double at = std::floor(std::max(0.0, position_s) * clip_.frames_per_second + 1e-4);
        const std::size_t wanted = std::min(static_cast<std::size_t>(at), sequence_.files.size() - 1);
        const std::string encoding = options.encoding ? options.encoding->name() : std::string();
        if (!kept_ || wanted != shown_ || encoding != encoding_ || options.clip_code != clip_code_) {
            kept_ = frame::read(sequence_.files[wanted], {Size::full, options.encoding, 0, options.clip_code}, stop);
            kept_->file = sequence_.pattern;
            encoding_ = encoding;
            clip_code_ = options.clip_code;
            shown_ = wanted;
        }
        begun_ = true;
        return given(*kept_, options);
    }
    std::optional<Frame> next(const StillOptions& options, const std::stop_token& stop) override {
        const std::size_t wanted = begun_ ? shown_ + 1 : 0;
        if (wanted >= sequence_.files.size()) return std::nullopt;
        return still((static_cast<double>(wanted) + 0.25) / clip_.frames_per_second, options, stop);
    }
    ClipReader::Kept keep() const override {
        return [file = sequence_.files.at(shown_), pattern = sequence_.pattern](const StillOptions& options,
                                                                                const std::stop_token& stop) {
            Frame f = frame::read(file, {Size::full, options.encoding, 0, options.clip_code}, stop);
            f.file = pattern;
            return given(f, options);
        };
    }

private:
    Sequence sequence_;
    Clip clip_;
    std::size_t shown_ = 0;
    bool begun_ = false;        ///< a picture was given
    std::optional<Frame> kept_; ///< a look takes several cuts of one picture
    std::string encoding_;
    double clip_code_ = 1;
};

} // namespace

ClipReader::Open* open_sequence(const fs::path& name) { return new OpenSequence(name); }

bool is_sequence_name(const fs::path& name) {
    static const std::string pictures = " .tif .tiff .png .jpg .jpeg .exr .dpx .webp .bmp ";
    const std::string extension = to_lower(name.extension().string());
    const Cut cut = cut_pattern(name.filename().string());
    if (!cut.digits || extension.empty() || pictures.find(" " + extension + " ") == std::string::npos) return false;
    std::error_code ec;
    return to_lower(cut.after).ends_with(extension) && !fs::exists(name, ec);
}

std::vector<fs::path> files_of_sequence(const fs::path& name) {
    std::vector<fs::path> files;
    for (const auto& [n, file] : numbered(name, cut_pattern(name.filename().string()))) files.push_back(file);
    return files;
}

Sequence sequence_named(const fs::path& name) {
    const Cut cut = cut_pattern(name.filename().string());
    const std::map<long, fs::path> files = numbered(name, cut);
    if (files.empty())
        throw Error(ErrorKind::input, "there are no pictures of this name with numbers", name,
                    "Check the folder, and that the name has a # for each digit");
    Sequence s{name.parent_path() / pattern_of(cut), {}};
    long next = files.begin()->first;
    for (const auto& [n, file] : files) {
        if (n != next)
            throw Error(
                ErrorKind::input,
                formatted("the sequence lacks {} between {} and {}",
                          n - next == 1 ? formatted("picture {}", next) : formatted("pictures {} to {}", next, n - 1),
                          files.begin()->first, files.rbegin()->first),
                name, "Copy it again, or name its parts in folders of their own");
        s.files.push_back(file);
        ++next;
    }
    return s;
}

bool is_there(const fs::path& name) {
    std::error_code ec;
    return fs::exists(name, ec) ||
           (is_sequence_name(name) && !numbered(name, cut_pattern(name.filename().string())).empty());
}

std::string content_hash(const fs::path& name) {
    if (!is_sequence_name(name)) return sha256_of(name);
    std::string names;
    const Sequence all = sequence_named(name);
    std::error_code ec;
    for (const fs::path& picture : all.files)
        names += formatted("{} {}\n", picture.filename().string(), fs::file_size(picture, ec));
    return sha256_of_text(names + sha256_of(all.files.front()));
}

bool is_part_of(const fs::path& file, const fs::path& sequence) {
    return file.parent_path() == sequence.parent_path() &&
           number_in(file.filename().string(), cut_pattern(sequence.filename().string())) >= 0;
}

fs::path run_of(const fs::path& file) {
    const Cut cut = cut_file(file);
    return cut.digits ? file.parent_path() / pattern_of(cut) : fs::path();
}

std::vector<fs::path> gathered(const std::vector<fs::path>& files) {
    struct Run {
        Cut cut; ///< with the shortest number of all
        std::size_t pictures = 0;
        bool told = false;
    };
    std::map<std::string, Run> runs; // by all of the name but its number
    const auto key = [](const fs::path& file, const Cut& cut) {
        return (file.parent_path() / cut.before).string() + '#' + cut.after;
    };
    for (const fs::path& file : files)
        if (const Cut cut = cut_file(file); cut.digits) {
            Run& run = runs[key(file, cut)];
            if (!run.cut.digits || cut.digits < run.cut.digits) run.cut = cut;
        }
    const auto run_of = [&](const fs::path& file) -> Run* {
        const Cut cut = cut_file(file);
        if (!cut.digits) return nullptr;
        Run& run = runs[key(file, cut)];
        return number_in(file.filename().string(), run.cut) >= 0 ? &run : nullptr; // numbered alike
    };
    for (const fs::path& file : files)
        if (Run* run = run_of(file)) ++run->pictures;
    std::vector<fs::path> all;
    for (const fs::path& file : files) {
        Run* run = run_of(file);
        if (!run || run->pictures < least_pictures) all.push_back(file);
        else if (!std::exchange(run->told, true)) all.push_back(file.parent_path() / pattern_of(run->cut));
    }
    return all;
}

} // namespace refero::frame
