// The house keeps its order: a room includes only rooms above it.
#include <map>
#include <regex>

#include "support.hpp"

namespace refero {
namespace {

const fs::path root = REFERO_SOURCE_DIR;
// The order in which data flows; base is below all.
const std::vector<std::string> rooms{"base", "colour", "frame", "chart", "find",    "read",     "inspect", "balance",
                                     "fit",  "prove",  "apply", "scope", "deliver", "simulate", "plan",    "job"};

std::vector<std::pair<fs::path, std::string>> includes(const fs::path& folder) {
    std::vector<std::pair<fs::path, std::string>> all;
    const std::regex include("^\\s*#\\s*include\\s*[\"<]([^\">]+)[\">]");
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        if (entry.path().extension() != ".cpp" && entry.path().extension() != ".hpp") continue;
        std::ifstream in(entry.path());
        std::smatch m;
        for (std::string line; std::getline(in, line);)
            if (std::regex_search(line, m, include)) all.emplace_back(entry.path(), m[1]);
    }
    return all;
}

TEST(House, room_order) {
    std::map<std::string, std::size_t> level;
    for (std::size_t i = 0; i < rooms.size(); ++i) level[rooms[i]] = i;
    std::size_t checked = 0;
    for (const auto& entry : fs::directory_iterator(root / "core")) {
        if (!entry.is_directory()) continue;
        const std::string room = entry.path().filename();
        ASSERT_TRUE(level.contains(room)) << "unknown room " << room;
        for (const auto& [file, name] : includes(entry.path())) {
            EXPECT_FALSE(name.starts_with("Q") && std::isupper(name[1]))
                << file << " includes " << name << ": no Qt in the core";
            EXPECT_FALSE(name.starts_with("app/") || name.starts_with("cli/")) << file;
            const std::string other = name.substr(0, name.find('/'));
            if (name.find('/') == std::string::npos || !level.contains(other)) continue;
            ++checked;
            EXPECT_LE(level[other], level[room]) << file << " includes " << name << ", which lies below";
        }
    }
    EXPECT_GT(checked, 50u);
}

TEST(House, no_source_is_longer_than_620_lines) {
    for (const char* folder : {"core", "cli", "app", "tests", "bench"}) {
        if (!fs::exists(root / folder)) continue;
        for (const auto& entry : fs::recursive_directory_iterator(root / folder)) {
            if (entry.path().extension() != ".cpp" && entry.path().extension() != ".hpp") continue;
            std::ifstream in(entry.path());
            const auto lines = std::count(std::istreambuf_iterator<char>(in), {}, '\n');
            EXPECT_LE(lines, 620) << entry.path();
        }
    }
}

} // namespace
} // namespace refero
