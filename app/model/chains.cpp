#include "model/chains.hpp"

#include "model/document.hpp"

namespace refero::app {

Chains::Chains(JobDocument& job, Tasks& tasks, Notices& notices) : job_(job), notices_(notices) {
    connect(&job, &JobDocument::changed, this, &Chains::follow);
    connect(&job, &JobDocument::closing, this, [this] {
        chains_.clear();
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
    return at == chains_.end() ? QString() : qt(at->second.title);
}

void Chains::set_obstacle(Id chart_shot, const std::string& why) {
    if (why.empty() && !obstacles_.erase(chart_shot)) return;
    if (!why.empty()) obstacles_[chart_shot] = why;
    follow();
}

void Chains::follow() {
    const shoot::Shoot& s = job_.shoot();
    std::erase_if(chains_, [&](const auto& entry) { return !shoot::record(s.setups, entry.first); });
    std::vector<Id> changed;
    for (operations::ChainFacts& facts : operations::facts_of(s)) {
        const Id id = facts.id;
        if (const auto why = obstacles_.find(facts.chart_shot);
            why != obstacles_.end() && facts.problem.empty() && facts.reading_content.empty())
            facts.problem = why->second;
        const auto before = chains_.find(id);
        if (before != chains_.end() && static_cast<const operations::ChainFacts&>(before->second) == facts) continue;
        Chain now = operations::derived(std::move(facts), before == chains_.end() ? nullptr : &before->second);
        for (const std::string& words : now.damaged)
            if (before == chains_.end() || before->second.damaged != now.damaged) notices_.tell(qt(words));
        chains_.insert_or_assign(id, std::move(now));
        changed.push_back(id);
    }
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
