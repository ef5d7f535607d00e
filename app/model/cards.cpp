#include "model/cards.hpp"

#include "model/document.hpp"
#include "operations/capture/planning.hpp"

namespace refero::app {

Cards::Cards(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks, Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      pictures_(pictures),
      tasks_(tasks),
      notices_(notices) {}

void Cards::balance_on(Id setup, const std::optional<chart::Point>& at) {
    const auto frame = pictures_.of(setup).frame;
    const shoot::ChartShotRecord* shot =
        chains_.has(setup) ? shoot::record(job_.shoot().chart_shots, chains_.at(setup).chart_shot) : nullptr;
    if (shot && frame)
        notices_.guarded([&] { job_.change(operations::balance_on_card(job_.shoot(), *shot, *frame, at)); });
}

void Cards::bring_values(Id setup, const chart::Reference& values) {
    if (!chains_.has(setup) || !chains_.at(setup).shot) return;
    const auto rows =
        operations::bring_values(job_.shoot(), kit_.kit(), setup, chains_.at(setup).shot->definition, values);
    if (job_.change(rows.job)) kit_.change(rows.kit);
}

void Cards::teach(Id setup, const chart::Corners& about) {
    const auto frame = pictures_.of(setup).frame;
    if (!frame) return;
    tasks_.run({Doing::measuring, setup}, tr("Looking for the card's patches"),
               [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
                   const auto chart = std::make_shared<const find::Taught>(find::teach(*frame, about, 0, stop));
                   return [this, chart] { emit taught(*chart); };
               });
}

} // namespace refero::app
