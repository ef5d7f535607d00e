#include "model/arrivals.hpp"

#include "model/document.hpp"
#include "shoot/time.hpp"

namespace refero::app {

QString clock_of(double at_s) { return std::isfinite(at_s) ? qt(shoot::time_of(at_s)).mid(11, 5) : QString(); }

Arrivals::Arrivals(JobDocument& job, Chains& chains, Notices& notices) : job_(job), notices_(notices) {
    settle_timer_.setSingleShot(true);
    settle_timer_.setInterval(100);
    connect(&settle_timer_, &QTimer::timeout, this, &Arrivals::follow);
    connect(&chains, &Chains::followed, this, [this] {
        if (!settle_timer_.isActive()) settle_timer_.start();
    });
}

void Arrivals::follow() {
    day_ = job_.is_open() ? operations::day_of(job_.shoot()) : operations::Day();
    emit changed();
}

bool Arrivals::rename(const std::map<Id, QString>& lights, const std::map<Id, QString>& cameras) {
    return notices_.guarded([&] {
        shoot::Change c(lights.size() + cameras.size() > 1 ? "Names given" : "Name given");
        const auto named = [&](const auto& list, const std::map<Id, QString>& names, const char* what) {
            const auto name_of = [&](const auto& row) {
                const auto wanted = names.find(row.id);
                return wanted == names.end() ? row.name : wanted->second.trimmed().toStdString();
            };
            std::map<std::string, int> bearers;
            for (const auto& row : list) ++bearers[name_of(row)];
            for (auto row : list) {
                const std::string name = name_of(row);
                if (name == row.name) continue;
                if (name.empty())
                    throw Error(ErrorKind::usage, std::string("a ") + what + " has no name", row.name, "Give it one");
                if (bearers[name] > 1)
                    throw Error(ErrorKind::usage, std::string("two ") + what + "s are called '" + name + "'", {},
                                "Tell them apart, or say that they are one");
                row.name = name;
                c.update(row);
            }
        };
        named(job_.shoot().lights, lights, "light");
        named(job_.shoot().cameras, cameras, "camera");
        job_.change(c);
    });
}

void Arrivals::merge(Id into, Id from) {
    notices_.guarded([&] { job_.change(operations::merge_lights(job_.shoot(), into, from)); });
}

void Arrivals::move(const std::vector<Id>& chart_shots, Id light) {
    notices_.guarded([&] {
        job_.change(
            operations::move_to_light(job_.shoot(), chart_shots, light, operations::free_light_name(job_.shoot())));
    });
}

QString Arrivals::title_of(const operations::DayChart& chart) const {
    for (const operations::DayRow& row : day_.rows)
        for (const operations::DayChart& c : row.charts)
            if (c.chart_shot == chart.chart_shot)
                return clock_of(chart.at_s).isEmpty() ? qt(row.name) : qt(row.name) + ", " + clock_of(chart.at_s);
    return {};
}

} // namespace refero::app
