#include "model/chains.hpp"

#include "model/document.hpp"

#include <set>

namespace refero::app {

Chains::Chains(JobDocument& job, Tasks& tasks, Notices& notices) : job_(job), notices_(notices) {
    connect(&job, &JobDocument::changed, this, &Chains::follow);
    connect(&job, &JobDocument::closing, this, [this] {
        chains_.clear();
        chosen_.clear();
        obstacles_.clear();
        structure_ = {};
    });
    connect(&tasks, &Tasks::setup_touched, this, [this](Id setup) {
        if (has(setup)) emit setup_changed(setup);
    });
}

std::vector<Id> Chains::ids() const {
    std::vector<Id> all;
    for (const auto& [id, chain] : chains_) all.push_back(id);
    return all;
}

QString Chains::title_of(Id setup) const {
    const auto at = chains_.find(setup);
    return at == chains_.end() ? QString() : qt(at->second.front().title);
}

void Chains::set_obstacle(Id chart_shot, const std::string& why) {
    if (why.empty() && !obstacles_.erase(chart_shot)) return;
    if (!why.empty()) obstacles_[chart_shot] = why;
    follow();
}

const Chain& Chains::at(Id setup) const {
    const std::vector<Chain>& all = chains_.at(setup);
    const auto chosen = chosen_.find(setup);
    for (const Chain& c : all)
        if (chosen != chosen_.end() && c.stretch == chosen->second) return c;
    for (const Chain& c : all)
        if (c.acting) return c;
    return all.back();
}

void Chains::choose(Id setup, Id stretch) {
    if (!has(setup)) return;
    const Id before = at(setup).stretch;
    if (stretch) chosen_[setup] = stretch;
    else chosen_.erase(setup);
    if (at(setup).stretch != before) emit setup_changed(setup);
}

/// The chain of the same stretch as it was; of a setup that had but one, that.
Chain* Chains::before_of(Id setup, Id stretch) {
    const auto all = chains_.find(setup);
    if (all == chains_.end()) return nullptr;
    for (Chain& c : all->second)
        if (c.stretch == stretch) return &c;
    return all->second.size() == 1 ? &all->second.front() : nullptr;
}

void Chains::follow() {
    const shoot::Shoot& s = job_.shoot();
    std::set<Id> changed;
    std::map<Id, std::vector<Chain>> now;
    for (operations::ChainFacts& facts : operations::stretches_of(s)) {
        const Id id = facts.id;
        if (const auto why = obstacles_.find(facts.chart_shot);
            why != obstacles_.end() && facts.problem.empty() && facts.reading_content.empty())
            facts.problem = why->second;
        Chain* before = before_of(id, facts.stretch);
        if (before && static_cast<const operations::ChainFacts&>(*before) == facts) {
            now[id].push_back(*before);
            continue;
        }
        Chain chain = operations::derived(std::move(facts), before);
        for (const std::string& words : chain.damaged)
            if (!before || before->damaged != chain.damaged) notices_.tell(qt(words));
        now[id].push_back(std::move(chain));
        changed.insert(id);
    }
    for (const auto& [id, chains] : now)
        if (const auto before = chains_.find(id); before != chains_.end() && before->second.size() != chains.size())
            changed.insert(id);
    chains_ = std::move(now);
    Structure structure{s.brief().title, s.cameras, s.lights, s.lenses, s.modes, s.places, {}, {}};
    for (const shoot::SetupRecord& setup : s.setups) {
        structure.rigs.push_back({setup.id, {setup.camera, setup.lens, setup.mode}});
        structure.under.push_back(setup.light);
    }
    if (structure != structure_) {
        structure_ = std::move(structure);
        emit structure_changed();
    }
    for (const Id id : changed)
        if (has(id)) emit setup_changed(id);
    emit frames_changed();
    emit followed();
}

} // namespace refero::app
