#include "model/matches.hpp"

#include "model/document.hpp"

namespace refero::app {

Matches::Matches(JobDocument& job, Chains& chains, Tasks& tasks, Notices& notices)
    : job_(job),
      chains_(chains),
      tasks_(tasks),
      notices_(notices) {}

std::vector<Id> Matches::under(Id light) const {
    std::vector<Id> all;
    for (const Id id : chains_.ids())
        if (const Chain& c = chains_.at(id); c.row.light == light && c.shot && !c.balance_only()) all.push_back(id);
    return all;
}

QString Matches::obstacle(Id lead, Id other) const {
    if (!chains_.has(lead) || !chains_.has(other)) return tr("Choose two cameras under one light.");
    try {
        operations::match_request(chains_.at(lead), chains_.at(other));
    } catch (const Error& e) { return qt(e.what()); }
    return {};
}

void Matches::match(Id lead, Id other, const match::Settings& settings) {
    if (!chains_.has(lead) || !chains_.has(other)) return;
    operations::MatchRequest request;
    if (!notices_.guarded([&] { request = operations::match_request(chains_.at(lead), chains_.at(other), settings); }))
        return;
    tasks_.run({Doing::matching, other}, tr("Matching %1").arg(qt(request.title)),
               [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
                   const auto match = std::make_shared<const match::Match>(operations::match(request, stop));
                   return [=, this] {
                       if (!chains_.has(lead) || !chains_.has(other)) return;
                       if (job_.change(operations::keep(job_.shoot(), request, *match))) emit matched(lead, other);
                   };
               });
}

void Matches::match_all(Id lead) {
    if (!chains_.has(lead)) return;
    for (const Id other : under(chains_.at(lead).row.light)) {
        if (other == lead || !obstacle(lead, other).isEmpty()) continue;
        if (const auto have = kept(lead, other); !have || !have->stale.empty()) match(lead, other);
    }
}

std::optional<operations::KeptMatch> Matches::kept(Id lead, Id other) const {
    if (!chains_.has(lead) || !chains_.has(other)) return {};
    try {
        Read& read = read_[{lead, other}]; // views ask often, and reading a correction takes milliseconds
        std::string content;
        auto match = operations::kept_match(job_.shoot(), chains_.at(lead), chains_.at(other),
                                            [&](const shoot::CorrectionRecord& row) {
                                                content = row.content;
                                                return row.content == read.content ? read.correction : nullptr;
                                            });
        if (match) read = {std::move(content), match->correction};
        return match;
    } catch (const Error&) { return {}; } // matched again, it is whole
}

namespace {

/// A chart shot's picture, small, with its chart's corners in it.
struct Seen {
    apply::Picture picture;
    chart::Corners corners;
};

Seen seen(const Chain& c, const fit::Correction* correction, int width, std::stop_token stop) {
    const frame::Frame whole = operations::read(c.source, frame::Size::measuring, {}, stop);
    const frame::Frame f = frame::smaller(whole, width);
    Seen s;
    s.picture = correction ? apply::corrected(f, *correction, "srgb", {}, stop)
                           : apply::rendered(
                                 f,
                                 [balance = c.balance.value_or(balance::Balance{}),
                                  own = operations::own_colours(f, c.balance.value_or(balance::Balance{}))](
                                     const colour::Vec3& v) -> colour::Vec3 { return own * balance(v); },
                                 "srgb", stop);
    s.corners = c.shot->placement.corners;
    const double scale = static_cast<double>(f.width) / f.full_width;
    for (chart::Point& p : s.corners) p *= scale;
    return s;
}

} // namespace

void Matches::look(Id lead, Id other, int width, std::function<void(std::shared_ptr<const operations::Beside>)> show) {
    if (!chains_.has(lead) || !chains_.has(other) || !chains_.at(lead).shot || !chains_.at(other).shot) return;
    const auto match = kept(lead, other);
    tasks_.run_quietly(
        {Doing::looking, other},
        [=, leader = chains_.at(lead), second = chains_.at(other),
         correction = match ? match->correction : nullptr](std::stop_token stop, const Progress&) -> Tasks::Then {
            // A lead without a correction is a finished picture: it is shown as it is.
            std::optional<fit::Correction> as_it_is;
            if (!leader.correction) {
                balance::Balance none;
                as_it_is = fit::balance_alone(none, {}, operations::own_colours(leader.shot->frame, none));
            }
            const Seen first = seen(leader, leader.correction ? leader.correction.get() : &*as_it_is, width, stop),
                       last = seen(second, correction.get(), width, stop);
            const auto both = std::make_shared<const operations::Beside>(
                operations::beside(first.picture, first.corners, last.picture, last.corners, stop));
            return [=] { show(both); };
        });
}

void Matches::by_hand(Id lead, Id other, std::function<void(std::shared_ptr<const match::Recipe>)> show) {
    const auto match = kept(lead, other);
    if (!match) return;
    tasks_.run_quietly({},
                       [=, leader = chains_.at(lead), second = chains_.at(other),
                        correction = match->correction](std::stop_token, const Progress&) -> Tasks::Then {
                           const auto recipe = std::make_shared<const match::Recipe>(
                               operations::by_hand(leader, second, *correction).recipe);
                           return [=] { show(recipe); };
                       });
}

std::optional<operations::ModeSeen> Matches::mode_seen(Id setup) const {
    if (!chains_.has(setup)) return {};
    const Chain& c = chains_.at(setup);
    if (!c.shot || !c.reference) return {};
    try {
        return operations::mode_seen(operations::side_of(*c.shot), *c.reference);
    } catch (const Error&) { return {}; } // its greys cannot be read: the gate says so
}

void Matches::try_look(const std::vector<Id>& setups, const fs::path& look,
                       std::function<void(const std::map<Id, Through>&)> show) {
    std::vector<std::pair<Id, Chain>> chains;
    for (const Id id : setups)
        if (chains_.has(id) && chains_.at(id).shot && chains_.at(id).reference) chains.emplace_back(id, chains_.at(id));
    tasks_.run({Doing::looking}, tr("Trying %1").arg(name_of_file(look)),
               [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   std::map<Id, Through> all;
                   for (const auto& [id, chain] : chains) {
                       throw_if_stopped(stop);
                       try {
                           const operations::Side side = operations::side_of(*chain.shot);
                           all[id].tried = operations::look_tried(side, *chain.reference, look, {"", "", false});
                       } catch (const Error& e) {
                           if (all.size() == 1 && chains.size() > 1 && e.file() == look) throw; // the file is at fault
                           all[id].problem = words_of(e);
                       }
                       progress(static_cast<double>(all.size()) / static_cast<double>(chains.size()));
                   }
                   return [=] { show(all); };
               });
}

void Matches::exposures(Id setup, const std::vector<Id>& frames, Id key,
                        std::function<void(std::shared_ptr<const operations::ExposuresSeen>)> show) {
    if (!chains_.has(setup)) return;
    const Chain& c = chains_.at(setup);
    operations::ExposuresAsked asked;
    asked.chart = c.shot ? c.shot->definition.id : c.settings.chart;
    asked.limits = operations::limits_of(job_.shoot().brief());
    for (const Id id : frames) {
        const shoot::FrameRecord* f = shoot::record(job_.shoot().frames, id);
        if (!f) continue;
        if (id == key) asked.key = asked.frames.size();
        asked.frames.push_back(operations::source_of(job_.shoot(), *f, c.row.mode));
    }
    tasks_.run({Doing::looking, setup}, tr("Comparing exposures of %1").arg(qt(c.title)),
               [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   const auto seen = std::make_shared<const operations::ExposuresSeen>(
                       operations::look_at_exposures(asked, progress, stop));
                   return [=] { show(seen); };
               });
}

void Matches::keep_clip_code(Id mode, double code) {
    const shoot::ModeRecord* row = shoot::record(job_.shoot().modes, mode);
    if (!row) return;
    shoot::Change c("Noted where " + row->name + " ends", row->name);
    shoot::ModeRecord changed = *row;
    changed.clip_percent = 100 * code;
    c.update(changed);
    job_.change(c);
}

} // namespace refero::app
