#include "model/stretches.hpp"

#include "model/document.hpp"
#include "operations/correct/stretches.hpp"

namespace refero::app {

void Stretches::join(Id setup) {
    notices_.guarded([&] { job_.change(operations::join_stretch(job_.shoot(), chains_.at(setup))); });
}

void Stretches::part(Id setup) {
    notices_.guarded([&] { job_.change(operations::part_stretch(job_.shoot(), chains_.at(setup))); });
}

void Stretches::divide(Id setup, bool divided) {
    notices_.guarded([&] { job_.change(operations::divide_by_time(job_.shoot(), setup, divided)); });
}

QString Stretches::advice(Id setup) const {
    std::vector<const Chain*> all;
    for (const Chain& c : chains_.stretches(setup)) all.push_back(&c);
    for (const operations::Drift& d : operations::drifts(all))
        if (!d.advice.empty()) return qt(d.advice) + ".";
    return {};
}

} // namespace refero::app
