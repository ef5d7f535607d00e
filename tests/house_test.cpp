// The house keeps its order: a room includes only rooms above it.
#include <map>
#include <regex>

#include "support.hpp"

namespace refero {
namespace {

const fs::path root = REFERO_SOURCE_DIR;
// The order in which data flows; base is below all.
const std::vector<std::string> rooms{"base",    "colour",   "frame",    "chart",   "find",      "read",
                                     "inspect", "balance",  "look",     "fit",     "prove",     "match",
                                     "scope",   "apply",    "handover", "display", "simulate",  "shoot",
                                     "plan",    "practice", "words",    "store",   "operations"};

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

int lines_like(const std::regex& what, const std::vector<std::string>& folders, bool tell) {
    int n = 0;
    for (const std::string& folder : folders)
        for (const auto& entry : fs::recursive_directory_iterator(root / folder)) {
            if (entry.path().extension() != ".cpp" && entry.path().extension() != ".hpp") continue;
            std::ifstream in(entry.path());
            for (std::string line; std::getline(in, line);)
                if (std::regex_search(line, what)) {
                    ++n;
                    if (tell) ADD_FAILURE() << entry.path() << ": " << line;
                }
        }
    return n;
}

// What has a type of its own is not compared as text, and JSON is read, not searched.
TEST(House, types_at_the_seams) {
    const std::regex as_text("\\b(check|status|verdict|rule)(\\(\\))? *(==|!=) *\"");
    const std::regex json_as_text("find\\(\"\\\\\"");
    std::printf("[ measured ] statuses compared as text: %d (limit 0)\n",
                lines_like(as_text, {"core", "cli", "app"}, true));
    std::printf("[ measured ] JSON searched as text: %d (limit 0)\n",
                lines_like(json_as_text, {"core", "cli", "app"}, true));
    EXPECT_EQ(lines_like(std::regex("class JobDocument"), {"app"}, false) > 0, true); // it does look
}

/// What lies in a room's internal/ is seen by that room alone; tests and benchmarks may look.
TEST(House, private_headers_are_seen_by_their_room_alone) {
    int outside = 0, inside = 0;
    for (const char* folder : {"core", "cli", "app"})
        for (const auto& [file, name] : includes(root / folder)) {
            const std::size_t at = name.find("/internal/");
            if (at == std::string::npos) continue;
            const bool own = file.string().starts_with((root / "core" / name.substr(0, at)).string() + "/");
            own ? ++inside : ++outside;
            EXPECT_TRUE(own) << file << " includes " << name;
        }
    EXPECT_GT(inside, 20);
    std::printf("[ measured ] private headers seen from outside: %d (limit 0)\n", outside);
}

/// Sources of a folder, and their lines.
std::vector<std::pair<fs::path, std::vector<std::string>>> sources(const fs::path& folder) {
    std::vector<std::pair<fs::path, std::vector<std::string>>> all;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        if (entry.path().extension() != ".cpp" && entry.path().extension() != ".hpp") continue;
        std::ifstream in(entry.path());
        std::vector<std::string> lines;
        for (std::string line; std::getline(in, line);) lines.push_back(line);
        all.emplace_back(entry.path(), std::move(lines));
    }
    return all;
}

TEST(House, views_see_the_desk_and_not_the_store) {
    std::size_t checked = 0;
    for (const char* view : {"places", "ui"})
        for (const auto& [file, lines] : sources(root / "app" / view)) {
            for (const std::string& line : lines) {
                EXPECT_EQ(line.find("store/store.hpp"), std::string::npos) << file;
                EXPECT_EQ(line.find("store/document.hpp"), std::string::npos) << file;
                EXPECT_EQ(line.find("store/internal/"), std::string::npos) << file;
                EXPECT_EQ(line.find("store::Edit"), std::string::npos) << file << ": a view writes no rows: " << line;
                EXPECT_EQ(line.find("shoot::Change "), std::string::npos) << file << ": a view makes no rows: " << line;
                // A signal is its owner's to emit.
                EXPECT_EQ(line.find("emit desk_"), std::string::npos) << file << ": " << line;
            }
            ++checked;
        }
    EXPECT_GT(checked, 30u);
}

TEST(House, the_desks_parts_do_not_know_the_views) {
    for (const auto& [file, name] : includes(root / "app" / "model"))
        for (const char* view : {"places/", "ui/", "main_window"})
            EXPECT_FALSE(name.starts_with(view)) << file << " includes " << name;
    for (const auto& [file, name] : includes(root / "app" / "ui"))
        for (const char* view : {"places/", "main_window"})
            EXPECT_FALSE(name.starts_with(view)) << file << " includes " << name;
}

/// Public functions (signals among them) and fields of each class of a folder, by its name.
std::map<std::string, std::pair<int, int>> classes_in(const fs::path& folder) {
    const std::regex field("^    [^ /(].*_( = .*|\\{.*\\})?;.*$");
    std::map<std::string, std::pair<int, int>> all;
    for (const auto& [file, lines] : sources(folder)) {
        std::string name;
        bool is_public = false;
        for (const std::string& line : lines) {
            if (line.starts_with("class ") && line.ends_with("{")) {
                name = line.substr(6, line.find_first_of(" {:", 6) - 6);
                is_public = false;
            }
            if (name.empty()) continue;
            if (line.starts_with("public:") || line.starts_with("signals:")) is_public = true;
            if (line.starts_with("private:") || line.starts_with("protected:")) is_public = false;
            // A declaration's first line: at the class's own indentation, with a bracket.
            const bool declares = line.starts_with("    ") && line.size() > 5 && line[4] != ' ' && line[4] != '/' &&
                                  line[4] != '}' && line.find('(') != std::string::npos &&
                                  !line.starts_with("    using") && line.find("std::function<") != 4;
            if (is_public && declares) ++all[name].first;
            if (!is_public && std::regex_match(line, field)) ++all[name].second;
            if (line.starts_with("};")) name.clear();
        }
    }
    return all;
}

// A class that does everything cannot be understood.
TEST(House, no_part_of_the_desk_does_everything) {
    for (const char* folder : {"model"})
        for (const auto& [name, counts] : classes_in(root / "app" / folder)) {
            EXPECT_LE(counts.first, 25) << name;
            EXPECT_LE(counts.second, 15) << name;
        }
    // The count counts: some that are known.
    const auto desk = classes_in(root / "app" / "model");
    EXPECT_GE(desk.at("Setups").first, 20);
    EXPECT_GE(desk.at("Frames").second, 8);
}

TEST(House, lines_are_at_most_120_columns) {
    for (const char* folder : {"core", "cli", "app"})
        for (const auto& [file, lines] : sources(root / folder))
            for (std::size_t i = 0; i < lines.size(); ++i) EXPECT_LE(lines[i].size(), 120u) << file << ":" << i + 1;
}

TEST(House, one_statement_a_line) {
    const std::regex chained("^\\s*[A-Za-z_]\\w*(\\.|->)[\\w.>\\[\\]-]* = [^({;\"]*, [A-Za-z_][\\w.>\\[\\]-]* = .*;$");
    for (const char* folder : {"core", "cli", "app", "tests", "bench"})
        for (const auto& [file, lines] : sources(root / folder))
            for (const std::string& line : lines) EXPECT_FALSE(std::regex_match(line, chained)) << file << ": " << line;
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
