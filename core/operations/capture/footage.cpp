#include "operations/capture/footage.hpp"

#include <cmath>
#include <future>
#include <mutex>
#include <set>
#include <thread>

#include "base/statistics.hpp"
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
constexpr double followed_s = 10.5;   ///< clips of so many seconds are followed picture by picture
constexpr double follow_step_s = 1.0 / 8; ///< between the pictures that are looked at on the way
constexpr double next_search_s = 0.5;     ///< while a followed clip shows no chart it is searched so often ...
constexpr double searched_again_s = 2;    ///< ... and one of so many seconds that shows none at every look
constexpr double still_alike = 0.2;       ///< patches against those where the chart was found, relative, in the median
constexpr double least_scale = 0.7; ///< the chart's area against the picture before, and the inverse: one that moves
constexpr double hand_gone_s = 0.5; ///< stills that are judged lie so far apart: a hand has gone by then
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
        return described(small, *found, reader_.keep(), shown);
    }

    /// From the first picture to the last, each decoded once: the chart is found in one and followed from there, some
    /// eight times a second. Pictures that may be judged are kept.
    std::vector<ChartStill> follow(double search_every_s, const std::function<void(double share)>& tell,
                                   std::optional<Error>& unreadable) {
        std::vector<ChartStill> seen;
        std::optional<find::Placement> last;
        std::vector<Rgb> as_found;
        double next_search = 0;
        struct Decoded {
            frame::Frame small;
            frame::ClipReader::Kept picture;
            double at;
        };
        const double end = reader_.clip().duration_s;
        const auto decode = [&](double position) {
            return std::async(std::launch::async, [this, position] {
                frame::Frame small = still(position, look_width);
                return Decoded{std::move(small), reader_.keep(), reader_.shown_s()};
            });
        };
        auto coming = decode(0);
        double shown = -1;
        for (double next = follow_step_s; coming.valid(); next += follow_step_s) try {
                const Decoded now = coming.get();
                if (next < end) coming = decode(next); // beside what is done with this one
                tell(now.at / std::max(1e-3, end));
                if (now.at == shown) continue; // fewer pictures a second
                shown = now.at;
                if (last) {
                    last = followed(*last, as_found, now.small);
                    if (!last) next_search = now.at; // it may only have moved too far
                }
                if (!last && now.at >= next_search) {
                    if (const auto all = find::locate(now.small, definitions_, stop_); !all.empty()) {
                        last = all.front();
                        as_found = middles(now.small, definition_of(*last), last->corners);
                    }
                    next_search = now.at + search_every_s;
                }
                if (!last) continue;
                seen.push_back(described(now.small, *last, now.picture, now.at));
                keep_good_ones(seen, now.picture);
            } catch (const Error& e) {
                if (e.kind() != ErrorKind::input) throw;
                unreadable = e; // damaged here: what follows may be whole
                if (!coming.valid() && next < end) coming = decode(next);
            }
        return seen;
    }

private:
    using Rgb = std::array<float, 3>;
    using Kept = frame::ClipReader::Kept;

    ChartStill described(const frame::Frame& small, const find::Placement& found, const Kept& picture, double at) {
        const chart::Definition& d = definition_of(found);
        ChartStill s{.position_s = at, .placement = found};
        s.clipped = clipped_share(small, d, found.corners);
        s.blur = blur_of(d, found, picture);
        const double blur = std::isfinite(s.blur) ? s.blur / one_blur : 2;
        s.fault = std::hypot(blur, found.tilt_deg / one_tilt_deg) + s.clipped / one_clipped;
        return s;
    }

    /// The last one's picture stays in memory where it is among the best ones so far.
    void keep_good_ones(std::vector<ChartStill>& seen, const Kept& picture) {
        ChartStill& now = seen.back();
        std::vector<ChartStill*> kept;
        for (ChartStill& s : seen)
            if (s.kept) {
                if (std::abs(s.position_s - now.position_s) >= hand_gone_s) kept.push_back(&s);
                else if (s.fault <= now.fault) return;
                else s.kept = {};
            }
        if (kept.size() >= good_ones) {
            const auto worst = std::max_element(
                kept.begin(), kept.end(), [](const ChartStill* a, const ChartStill* b) { return a->fault < b->fault; });
            if ((*worst)->fault <= now.fault) return;
            (*worst)->kept = {};
        }
        now.kept = picture;
    }

    static std::vector<Rgb> middles(const frame::Frame& f, const chart::Definition& d, const chart::Corners& q) {
        const chart::Homography map = chart::pixels_from_mm(d, q);
        std::vector<Rgb> all;
        for (const chart::Patch& p : d.patches) {
            const chart::Point at = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}) / f.cell;
            const int x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
            if (x < 0 || y < 0 || x >= f.width || y >= f.height) return {};
            const float* c = f.at(x, y);
            all.push_back({c[0], c[1], c[2]});
        }
        return all;
    }

    /// Where the chart is now that was there in the picture before; none where what lies there is not it any more.
    std::optional<find::Placement> followed(const find::Placement& before, const std::vector<Rgb>& as_found,
                                            const frame::Frame& small) {
        const chart::Definition& d = definition_of(before);
        const chart::Corners q = find::snapped(d, before.corners, small);
        const double scale = chart::signed_area(q) / chart::signed_area(before.corners);
        if (!chart::is_convex(q) || scale < least_scale || scale > 1 / least_scale) return std::nullopt;
        const std::vector<Rgb> now = middles(small, d, q);
        if (now.empty() || now.size() != as_found.size()) return std::nullopt;
        std::vector<double> off; // exposure may change, colours do not
        double sum_now = 1e-6, sum_found = 1e-6;
        for (std::size_t i = 0; i < now.size(); ++i)
            for (std::size_t c = 0; c < 3; ++c) {
                sum_now += static_cast<double>(now[i][c]);
                sum_found += static_cast<double>(as_found[i][c]);
            }
        const double floor = 0.02 * sum_now / static_cast<double>(3 * now.size());
        for (std::size_t i = 0; i < now.size(); ++i)
            for (std::size_t c = 0; c < 3; ++c) {
                const double a = static_cast<double>(now[i][c]),
                             b = static_cast<double>(as_found[i][c]) * sum_now / sum_found;
                off.push_back(std::abs(a - b) / ((a + b) / 2 + floor));
            }
        if (median(std::move(off)) > still_alike) return std::nullopt;
        find::Placement p = find::placement_from(d, q, small);
        p.confidence = before.confidence;
        return p;
    }

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
    double blur_of(const chart::Definition& d, find::Placement p, const Kept& picture) {
        constexpr double edges = 8; // as far as they reach, and more
        const Part part = about(p.corners, edges);
        const frame::Frame near = picture({options_.encoding, options_.clip_code, 0, part}, stop_);
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
    Search search(file, options, stop);
    const frame::Clip clip = search.reader().clip();
    if (clip.duration_s <= followed_s) {
        std::optional<Error> unreadable;
        const auto tell = [&](double share) { return progress ? progress(share) : void(); };
        auto seen = search.follow(next_search_s, tell, unreadable);
        if (seen.empty() && !unreadable && clip.duration_s <= searched_again_s)
            seen = search.follow(0, tell, unreadable);
        if (seen.empty() && unreadable) throw *unreadable;
        std::sort(seen.begin(), seen.end(), better);
        return seen;
    }
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

namespace {

/// Found in a small picture, laid on in the whole one.
MeasuredShot measured_about(const frame::Frame& f, const find::Placement& about, const std::string& chart,
                            const std::stop_token& stop) {
    MeasuredShot shot;
    shot.definition = chart::find_definition(chart.empty() ? about.chart : chart);
    shot.placement = find::placement_from(shot.definition, find::snapped(shot.definition, about.corners, f), f);
    shot.placement.confidence = about.confidence;
    shot.reading = read::measure(f, shot.placement, shot.definition, stop);
    return shot;
}

} // namespace

std::vector<JudgedStill> judged_stills(const fs::path& file, const std::vector<ChartStill>& stills,
                                       const ShotOptions& options, const inspect::Limits& limits, std::size_t most,
                                       std::stop_token stop, bool until_pass) {
    std::vector<JudgedStill> all;
    if (stills.empty()) return all;
    std::optional<frame::ClipReader> reader;
    for (const ChartStill& s : apart(stills, hand_gone_s, most)) {
        const frame::StillOptions as{options.encoding, options.clip_code};
        if (!s.kept && !reader) reader.emplace(file);
        frame::Frame f = s.kept ? s.kept(as, stop) : reader->still(s.position_s, as, stop);
        try {
            MeasuredShot shot = s.kept && !options.panels ? measured_about(f, s.placement, options.chart, stop)
                                                          : measure_in(f, options, stop);
            inspect::Judgement judgement = judge(f, shot, limits);
            shot.light = judgement.light;
            const JudgedStill* before = best_of(all);
            if (!before || judgement.verdict <= before->judgement.verdict) shot.frame = std::move(f);
            all.push_back({s, std::move(judgement), std::move(shot)});
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

namespace {

bool is_to_be_looked_through(const fs::path& file, const ShotOptions& options) {
    return options.position_s < 0 && !options.corners && frame::kind_of(file) == frame::FileKind::clip;
}

/// Of a clip that shows no chart.
double early_s(const fs::path& file) { return frame::read_clip(file).duration_s / 24; }

std::optional<JudgedStill> best_in(const fs::path& file, const ShotOptions& options, const std::stop_token& stop) {
    return best_still(file, chart_stills(file, options, {}, stop), options, inspect::limits_for({}), stop);
}

frame::Frame read_at(const fs::path& file, const ShotOptions& options, double position_s, const std::stop_token& stop) {
    return frame::read(file, {frame::Size::measuring, options.encoding, position_s, options.clip_code}, stop);
}

} // namespace

double showing_s(const fs::path& file, const ShotOptions& options, std::stop_token stop) {
    if (is_to_be_looked_through(file, options)) {
        const auto best = best_in(file, options, stop);
        return best ? best->still.position_s : early_s(file);
    }
    return options.position_s < 0 && frame::kind_of(file) == frame::FileKind::clip ? early_s(file)
                                                                                   : std::max(0.0, options.position_s);
}

frame::Frame frame_showing(const fs::path& file, const ShotOptions& options, std::stop_token stop) {
    if (is_to_be_looked_through(file, options))
        if (auto best = best_in(file, options, stop)) return std::move(best->shot.frame);
    return read_at(file, options,
                   is_to_be_looked_through(file, options) ? early_s(file) : showing_s(file, options, stop), stop);
}

MeasuredShot take_shot(const fs::path& file, const ShotOptions& options, const Progress& progress,
                       std::stop_token stop) {
    const bool looked_through = is_to_be_looked_through(file, options);
    if (looked_through && !options.panels)
        if (auto best = best_in(file, options, stop)) {
            if (progress) progress(1);
            return std::move(best->shot);
        }
    frame::Frame frame = read_at(
        file, options, looked_through && !options.panels ? early_s(file) : showing_s(file, options, stop), stop);
    if (progress) progress(0.5);
    MeasuredShot shot = measure_in(frame, options, stop);
    shot.frame = std::move(frame);
    if (progress) progress(1);
    return shot;
}

std::vector<JudgedStill> shots_showing(const fs::path& file, const ShotOptions& options, std::stop_token stop) {
    constexpr std::size_t most_averaged = 3;
    const inspect::Limits limits = inspect::limits_for({});
    std::vector<JudgedStill> shots;
    if (is_to_be_looked_through(file, options) && !options.panels) {
        auto some = judged_stills(file, chart_stills(file, options, {}, stop), options, limits, good_ones, stop);
        if (const JudgedStill* best = best_of(some)) {
            const inspect::Status verdict = best->judgement.verdict;
            std::erase_if(some, [&](const JudgedStill& s) { return s.judgement.verdict != verdict; });
            if (some.size() > most_averaged) some.resize(most_averaged);
            return some;
        }
    }
    JudgedStill one;
    one.still.position_s = std::max(0.0, options.position_s);
    one.shot = take_shot(file, options, {}, stop);
    one.judgement = judge(one.shot.frame, one.shot, limits);
    one.shot.light = one.judgement.light;
    shots.push_back(std::move(one));
    return shots;
}

} // namespace refero::operations
