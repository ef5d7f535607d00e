// Tasks of practice: how many agree with the gate, how many seeds they take, how long; docs/benchmarks.md.
//   refero-practice-bench [COUNT] [SEED]
#include <chrono>
#include <cstdlib>
#include <iostream>
#include <map>

#include "operations/practice/practice.hpp"

using namespace refero;

int main(int argc, char** argv) {
    const int count = argc > 1 ? std::atoi(argv[1]) : 500;
    const auto seed = static_cast<std::uint64_t>(argc > 2 ? std::atoi(argv[2]) : 1);
    const practice::Kind kinds[] = {practice::Kind::what_wrong, practice::Kind::what_wrong, practice::Kind::what_wrong,
                                    practice::Kind::which_patch, practice::Kind::keep_which};
    int agree = 0, drawn = 0;
    std::map<std::string, std::pair<int, int>> by_theme; // agree, of
    std::map<int, std::pair<double, int>> seconds;       // by frames of the task
    for (int i = 0; i < count; ++i) {
        const practice::Kind kind = kinds[i % 5];
        const int level = 1 + (i / 5) % practice::highest_level;
        const auto themes = practice::themes(kind);
        const std::string about = themes[static_cast<std::size_t>(i / 20) % themes.size()];
        const auto before = std::chrono::steady_clock::now();
        const operations::PracticeTask t =
            operations::prepare(kind, level, seed * 100000 + static_cast<std::uint64_t>(i), about);
        const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count();
        bool holds = true;
        for (std::size_t k = 0; k < t.frames.size(); ++k)
            holds = holds && operations::agrees(t.task, t.task.shots[k], t.frames[k]);
        agree += holds;
        drawn += t.drawn;
        auto& [right, all] = by_theme[about];
        right += holds;
        ++all;
        auto& [sum, n] = seconds[static_cast<int>(t.frames.size())];
        sum += took;
        ++n;
    }
    std::cout << formatted("{} tasks: {} agree with the gate ({:.1f} %), {:.3f} seeds a task\n", count, agree,
                           100.0 * agree / count, static_cast<double>(drawn) / count);
    for (const auto& [theme, n] : by_theme)
        if (n.first < n.second) std::cout << formatted("  {}: {} of {}\n", theme, n.first, n.second);
    const simulate::Scene set = practice::make(practice::Kind::light_it, 2, seed).shots.front().scene;
    constexpr int glances = 20;
    const auto before = std::chrono::steady_clock::now();
    for (int i = 0; i < glances; ++i) operations::preview_of(set, 480);
    std::cout << formatted("  the lit set at preview size: {:.0f} ms\n",
                           std::chrono::duration<double>(std::chrono::steady_clock::now() - before).count() * 1000 /
                               glances);
    for (const auto& [frames, t] : seconds)
        std::cout << formatted("  {} frame{}: {:.2f} s a task\n", frames, frames > 1 ? "s" : "", t.first / t.second);
}
