#include "model/renderings.hpp"

#include "model/document.hpp"

namespace refero::app {

Renderings::Renderings(JobDocument& job, KitDocument& kit, Chains& chains, Tasks& tasks, Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      tasks_(tasks),
      notices_(notices) {}

std::vector<operations::KeptRendering> Renderings::kept(Id setup) const {
    return chains_.has(setup) ? operations::renderings_of(job_.shoot(), chains_.at(setup))
                              : std::vector<operations::KeptRendering>();
}

std::vector<operations::InForce> Renderings::in_force(Id setup) const {
    return chains_.has(setup) ? operations::in_force(job_.shoot(), chains_.at(setup))
                              : std::vector<operations::InForce>();
}

void Renderings::keep(Id setup, const QString& name) {
    if (!chains_.has(setup)) return;
    notices_.guarded([&] {
        job_.change(operations::keep_rendering(job_.shoot(), chains_.at(setup), name.trimmed().toStdString()));
    });
}

void Renderings::rename(Id row, const QString& name) {
    notices_.guarded(
        [&] { job_.change(operations::rename_rendering(job_.shoot(), row, name.trimmed().toStdString())); });
}

void Renderings::remove(Id row) { job_.change(operations::remove_rendering(job_.shoot(), row)); }

void Renderings::work_on(Id setup, Id row) {
    for (const operations::KeptRendering& r : kept(setup))
        if (r.row == row) {
            notices_.guarded([&] { job_.change(operations::work_on_rendering(job_.shoot(), chains_.at(setup), r)); });
            return;
        }
}

void Renderings::refit(Id setup) {
    if (!chains_.has(setup) || tasks_.busy(Doing::fitting, setup)) return;
    std::vector<std::pair<operations::KeptRendering, operations::FitRequest>> all;
    for (const operations::KeptRendering& r : kept(setup))
        if (!r.stale.empty() && !notices_.guarded([&] {
                all.emplace_back(r, operations::fit_request(job_.shoot(), chains_.at(setup), r));
            }))
            return;
    if (all.empty()) return;
    tasks_.run({Doing::fitting, setup}, tr("Fitting the renderings of %1").arg(chains_.title_of(setup)),
               [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   std::vector<fit::Correction> made;
                   for (const auto& [rendering, request] : all) {
                       made.push_back(operations::fit(request, stop));
                       progress(static_cast<double>(made.size()) / static_cast<double>(all.size()));
                   }
                   return [=, this] {
                       if (!chains_.has(setup)) return;
                       for (std::size_t i = 0; i < all.size(); ++i)
                           job_.change(operations::keep(job_.shoot(), all[i].second, all[i].first, made[i]));
                   };
               });
}

std::vector<operations::LookOfKit> Renderings::looks() {
    return operations::looks_for(kit_.kit(), job_.is_open() ? job_.shoot().brief().client : std::string());
}

void Renderings::keep_look(const look::Look& look, const QString& name) {
    const std::string client = job_.is_open() ? job_.shoot().brief().client : std::string();
    kit_.change(operations::keep_look(kit_.kit(), look, name.trimmed().toStdString(), client));
}

void Renderings::bring_look(const fs::path& file, std::function<void(const look::Look&)> use) {
    tasks_.run({Doing::looking}, tr("Reading %1").arg(name_of_file(file)),
               [=](std::stop_token, const Progress&) -> Tasks::Then {
                   return [use, look = prove::look_from(file)] { use(look); };
               });
}

operations::LookSeen Renderings::seen(Id setup, const look::Look& look) const {
    return chains_.has(setup) ? operations::look_seen(chains_.at(setup), look) : operations::LookSeen();
}

std::vector<operations::LookStep> Renderings::steps(Id setup, const operations::LookSeen& seen) const {
    return chains_.has(setup) ? operations::look_steps(chains_.at(setup), seen) : std::vector<operations::LookStep>();
}

} // namespace refero::app
