#include "operations/capture/footage.hpp"

#include <cmath>
#include <mutex>
#include <set>
#include <thread>

#include "chart/geometry.hpp"
#include "frame/clip.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

constexpr double looks = 60;          ///< through a clip ...
constexpr double longest_step = 2;    ///< ... no further apart than this, s: a chart is held up for a few seconds ...
constexpr double shortest_step = 0.5; ///< s: in a clip of a few seconds it is held up for one ...
constexpr double short_looks = 30;    ///< ... so that at least so many looks go through it, if no closer than that
constexpr double most_looks = 240;    ///< ... unless it were more than so many: hours are not looked through so closely
constexpr int look_width = 640;       ///< pixels; a chart of a tenth of the frame has patches of 9 of them
constexpr int closer = 10;            ///< looks in each step about a good one
constexpr std::size_t good_ones = 4;  ///< that are looked at closer, and judged
// What counts as much as one another: a blur of a twelfth of a patch, half the turn from which on the gate warns, one
// patch in ten clipped.
constexpr double one_blur = 1.0 / 12, one_tilt_deg = 9, one_clipped = 0.1;

double shorter_side(const chart::Definition& d, const chart::Corners& q) {
    const chart::Homography map = chart::pixels_from_mm(d, q);
    double least = INFINITY;
    for (const chart::Patch& p : d.patches) {
        const chart::Point at(p.x_mm, p.y_mm);
        least = std::min({least, (map(at + chart::Point(p.w_mm, 0)) - map(at)).norm(),
                          (map(at + chart::Point(0, p.h_mm)) - map(at)).norm()});
    }
    return least;
}

/// Share of the patches in whose middle a channel is clipped.
double clipped_share(const frame::Frame& f, const chart::Definition& d, const chart::Corners& q) {
    if (f.clipped.empty()) return 0;
    const chart::Homography map = chart::pixels_from_mm(d, q);
    int clipped = 0;
    for (const chart::Patch& p : d.patches) {
        const chart::Point at = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}) / f.cell;
        const int x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
        if (x < 0 || y < 0 || x >= f.width || y >= f.height) continue;
        clipped +=
            f.clipped[static_cast<std::size_t>(y) * static_cast<std::size_t>(f.width) + static_cast<std::size_t>(x)] !=
            0;
    }
    return static_cast<double>(clipped) / static_cast<double>(d.patches.size());
}

/// A part of a frame: left, top, width, height in pixels.
using Part = std::array<int, 4>;

/// About the corners, by so much on each side.
Part about(const chart::Corners& q, double pixels) {
    chart::Point low(1e9, 1e9), high(-1e9, -1e9);
    for (const chart::Point& p : q) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    }
    constexpr int whole = 8; // colours and blocks of codecs begin at multiples of it
    const auto begin = [&](double v) { return std::max(0, static_cast<int>(v - pixels)) / whole * whole; };
    const int x = begin(low.x()), y = begin(low.y());
    return {x, y, static_cast<int>(high.x() + pixels) - x, static_cast<int>(high.y() + pixels) - y};
}

class Search {
public:
    Search(const fs::path& file, const ShotOptions& options, std::stop_token stop)
        : reader_(file),
          options_(options),
          stop_(std::move(stop)) {
        if (options.chart.empty()) definitions_ = chart::installed();
        else definitions_.push_back(chart::find_definition(options.chart));
        if (!options.chart.empty()) chart::reference_of(definitions_.front()); // found by colours alone
    }

    frame::ClipReader& reader() { return reader_; }
    const std::set<double>& looked_at() const { return looked_at_; }

    /// The still at or before a position, unless it was looked at before, if it shows a chart. `near`: one that a still
    /// not far from it shows.
    std::optional<ChartStill> look(double at, const ChartStill* near = nullptr) {
        const frame::Frame small = still(at, look_width);
        const double shown = reader_.shown_s();
        if (!looked_at_.insert(shown).second) return std::nullopt;
        std::optional<find::Placement> found;
        if (near) found = find_about(near->placement, small);
        if (!found)
            if (const auto all = find::locate(small, definitions_, stop_); !all.empty()) found = all.front();
        if (!found) return std::nullopt;
        const chart::Definition& d = definition_of(*found);
        ChartStill s{.position_s = shown, .placement = *found};
        s.clipped = clipped_share(small, d, found->corners);
        s.blur = blur_of(d, *found);
        const double blur = std::isfinite(s.blur) ? s.blur / one_blur : 2;
        s.fault = std::hypot(blur, found->tilt_deg / one_tilt_deg) + s.clipped / one_clipped;
        return s;
    }

private:
    frame::Frame still(double at, int most_width, const std::optional<Part>& part = {}) {
        return reader_.still(at, {options_.encoding, options_.clip_code, most_width, part}, stop_);
    }
    const chart::Definition& definition_of(const find::Placement& p) const {
        return *std::find_if(definitions_.begin(), definitions_.end(), [&](const auto& d) { return d.id == p.chart; });
    }

    /// Looked for where it was a moment ago, which is quicker than in the whole.
    std::optional<find::Placement> find_about(const find::Placement& before, const frame::Frame& small) {
        const chart::Definition& d = definition_of(before);
        const Part part = about(before.corners, 3 * shorter_side(d, before.corners));
        const frame::Frame near = still(reader_.shown_s(), look_width * 2 / 3, part);
        if (near.full_width >= small.full_width) return std::nullopt; // it cannot be cut
        const auto found = find::locate(near, {d}, stop_);
        if (found.empty()) return std::nullopt;
        chart::Corners q = found.front().corners;
        for (chart::Point& p : q) p += chart::Point(part[0], part[1]);
        find::Placement whole = find::placement_from(d, q, small);
        whole.confidence = found.front().confidence;
        whole.mirrored = found.front().mirrored;
        return whole;
    }

    /// In whole pixels, about the chart alone.
    double blur_of(const chart::Definition& d, find::Placement p) {
        constexpr double edges = 8; // as far as they reach, and more
        const Part part = about(p.corners, edges);
        const frame::Frame near = still(reader_.shown_s(), 0, part);
        const double side = shorter_side(d, p.corners);
        if (near.full_width < reader_.clip().width || near.full_height < reader_.clip().height)
            for (chart::Point& q : p.corners) q -= chart::Point(part[0], part[1]);
        return inspect::blur_px(near, p, d) / side;
    }

    frame::ClipReader reader_;
    const ShotOptions& options_;
    std::stop_token stop_;
    std::vector<chart::Definition> definitions_;
    std::set<double> looked_at_; ///< s
};

using Among = frame::ClipReader::Among;

/// Looks from one position up to another, s.
struct Window {
    double from, to, by;
    Among among = Among::all;
    std::optional<ChartStill> near = {}; ///< one that a still not far from it shows
};

struct Looked {
    std::vector<ChartStill> seen;
    std::set<double> at;             ///< where stills begin that were looked at, s
    std::optional<Error> unreadable; ///< of a clip that is damaged or cut short in places
};

/// Some windows at a time, each with a reader of its own: decoding and looking overlap.
void look_into(const fs::path& file, const ShotOptions& options, const std::vector<Window>& windows, Looked& all,
               std::stop_token stop) {
    std::mutex one_at_a_time;
    std::size_t next = 0;
    std::exception_ptr problem;
    const auto work = [&] {
        try {
            Search search(file, options, stop);
            std::vector<ChartStill> seen;
            while (true) {
                const Window* w = nullptr;
                {
                    const std::lock_guard guard(one_at_a_time);
                    if (next == windows.size() || problem) break;
                    w = &windows[next++];
                }
                search.reader().look_among(w->among);
                for (double at = w->from; at < w->to; at += w->by) try {
                        if (auto s = search.look(at, w->near ? &*w->near : nullptr)) seen.push_back(std::move(*s));
                    } catch (const Error& e) {
                        if (e.kind() != ErrorKind::input) throw;
                        const std::lock_guard guard(one_at_a_time);
                        all.unreadable = e;
                    }
            }
            const std::lock_guard guard(one_at_a_time);
            for (ChartStill& s : seen)
                if (!all.at.contains(s.position_s)) all.seen.push_back(std::move(s));
            all.at.insert(search.looked_at().begin(), search.looked_at().end());
        } catch (...) {
            const std::lock_guard guard(one_at_a_time);
            problem = std::current_exception();
        }
    };
    std::vector<std::thread> others;
    const std::size_t most = std::min<std::size_t>(windows.size(), std::max(1u, std::thread::hardware_concurrency()));
    for (std::size_t k = 1; k < most; ++k) others.emplace_back(work);
    work();
    for (std::thread& t : others) t.join();
    if (problem) std::rethrow_exception(problem);
}

bool better(const ChartStill& a, const ChartStill& b) { return a.fault < b.fault; }

/// The best ones, at least so far apart in time.
std::vector<ChartStill> apart(const std::vector<ChartStill>& sorted, double seconds, std::size_t most) {
    std::vector<ChartStill> some;
    for (const ChartStill& s : sorted) {
        const bool near = std::any_of(some.begin(), some.end(), [&](const ChartStill& o) {
            return std::abs(o.position_s - s.position_s) < seconds;
        });
        if (!near) some.push_back(s);
        if (some.size() == most) break;
    }
    return some;
}

} // namespace

std::vector<ChartStill> chart_stills(const fs::path& file, const ShotOptions& options, const Progress& progress,
                                     std::stop_token stop) {
    const frame::Clip clip = frame::read_clip(file);
    const double still_s = clip.frames_per_second > 0 ? 1 / clip.frames_per_second : 0.04;
    const double step =
        std::clamp(clip.duration_s / looks, still_s, std::max(longest_step, clip.duration_s / most_looks));
    const double end = std::max(step, clip.duration_s);
    Looked looked;
    const auto tell = [&](double share) {
        throw_if_stopped(stop);
        if (progress) progress(share);
    };
    // Whole pictures first, which cost no others; where they lie far apart those between.
    std::vector<Window> windows;
    constexpr int parts = 8;
    for (int k = 0; k < parts; ++k)
        windows.push_back({end * k / parts + (k ? 0 : step / 2), end * (k + 1) / parts, step, Among::keys});
    look_into(file, options, windows, looked, stop);
    tell(0.3);
    if (looked.at.empty() && looked.unreadable) throw *looked.unreadable;
    windows.clear();
    double before = 0;
    looked.at.insert(end);
    const double apart_s = std::max(step, std::clamp(clip.duration_s / short_looks, shortest_step, longest_step));
    for (const double key : looked.at) {
        if (key - before > 1.5 * apart_s) windows.push_back({before + apart_s, key, apart_s, Among::references});
        before = key;
    }
    look_into(file, options, windows, looked, stop);
    tell(0.6);
    // Then closer, and last picture by picture.
    const auto closer_to = [&](std::size_t most, double reach, double by) {
        std::sort(looked.seen.begin(), looked.seen.end(), better);
        windows.clear();
        for (const ChartStill& good : apart(looked.seen, reach, most))
            windows.push_back(
                {std::max(0.0, good.position_s - reach) + still_s / 4, good.position_s + reach, by, Among::all, good});
        look_into(file, options, windows, looked, stop);
    };
    closer_to(good_ones, longest_step / 2, std::max(still_s, longest_step / closer));
    tell(0.9);
    closer_to(1, longest_step / closer, still_s);
    std::sort(looked.seen.begin(), looked.seen.end(), better);
    tell(1);
    return std::move(looked.seen);
}

std::vector<JudgedStill> judged_stills(const fs::path& file, const std::vector<ChartStill>& stills,
                                       const ShotOptions& options, const inspect::Limits& limits, std::size_t most,
                                       std::stop_token stop, bool until_pass) {
    std::vector<JudgedStill> all;
    if (stills.empty()) return all;
    frame::ClipReader reader(file);
    constexpr double moved_s = 0.5; // a hand has gone by then
    for (const ChartStill& s : apart(stills, moved_s, most)) {
        const frame::Frame f = reader.still(s.position_s, {options.encoding, options.clip_code}, stop);
        try {
            all.push_back({s, judge(f, measure_in(f, options, stop), limits)});
        } catch (const Error& e) {
            if (e.kind() != ErrorKind::not_found) throw;
        }
        if (until_pass && !all.empty() && all.back().judgement.verdict == inspect::Status::pass) break;
    }
    return all;
}

const JudgedStill* best_of(const std::vector<JudgedStill>& stills) {
    const auto best = std::min_element(stills.begin(), stills.end(), [](const JudgedStill& a, const JudgedStill& b) {
        return a.judgement.verdict < b.judgement.verdict;
    });
    return best == stills.end() ? nullptr : &*best;
}

std::optional<JudgedStill> best_still(const fs::path& file, const std::vector<ChartStill>& stills,
                                      const ShotOptions& options, const inspect::Limits& limits, std::stop_token stop) {
    // The best by its edges first: where the gate passes one no other is looked at.
    const auto some = judged_stills(file, stills, options, limits, good_ones, stop, true);
    const JudgedStill* best = best_of(some);
    return best ? std::optional(*best) : std::nullopt;
}

double showing_s(const fs::path& file, const ShotOptions& options, std::stop_token stop) {
    if (options.position_s >= 0 || frame::kind_of(file) != frame::FileKind::clip)
        return std::max(0.0, options.position_s);
    if (!options.corners)
        if (const auto best =
                best_still(file, chart_stills(file, options, {}, stop), options, inspect::limits_for({}), stop))
            return best->still.position_s;
    return frame::read_clip(file).duration_s / 24;
}

std::vector<double> showings_s(const fs::path& file, const ShotOptions& options, std::stop_token stop) {
    constexpr std::size_t most_averaged = 3;
    std::vector<double> places;
    if (options.position_s < 0 && !options.corners && frame::kind_of(file) == frame::FileKind::clip) {
        const auto some = judged_stills(file, chart_stills(file, options, {}, stop), options, inspect::limits_for({}),
                                        good_ones, stop);
        if (const JudgedStill* best = best_of(some))
            for (const JudgedStill& s : some)
                if (s.judgement.verdict == best->judgement.verdict && places.size() < most_averaged)
                    places.push_back(s.still.position_s);
    }
    if (places.empty()) places.push_back(showing_s(file, options, stop));
    return places;
}

} // namespace refero::operations
