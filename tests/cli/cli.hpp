// Runs the command line in a scratch folder.
#pragma once

#include <sys/wait.h>

#include <nlohmann/json.hpp>
#include <set>

#include "support.hpp"

namespace refero::test {

using nlohmann::json;

struct Outcome {
    int status = -1;
    std::string out, err;
    json object() const { return json::parse(out, nullptr, false); }
};

struct Cli : testing::Test {
    Scratch scratch;

    /// `before` goes before the program in the shell: "ulimit -f 8;".
    Outcome run(const std::string& arguments, const std::string& before = {}) {
        const std::string command = std::string("cd '") + scratch.folder().string() + "' && { " + before +
                                    " '" REFERO_CLI "' " + arguments + "; } >out.txt 2>err.txt";
        const int status = std::system(command.c_str());
        return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, read_file(scratch / "out.txt"),
                read_file(scratch / "err.txt")};
    }
    void simulate(const std::string& name, const Shot& shot) {
        written(scratch / "scene.json", scene_text(shot));
        ASSERT_EQ(run("simulate scene.json --overwrite -o " + name).status, 0);
    }
    void expect_error(const std::string& arguments, int status, const std::string& names) {
        const Outcome o = run(arguments + " --json");
        EXPECT_EQ(o.status, status) << arguments << "\n" << o.err;
        const json j = o.object();
        EXPECT_TRUE(j.contains("error") && j["error"].contains("code") && j["error"].contains("message") &&
                    j["error"].contains("file"))
            << arguments << ": " << o.out;
        EXPECT_NE(o.err.find(names), std::string::npos) << arguments << ": " << o.err;
        EXPECT_EQ(o.err.find("terminate"), std::string::npos);
    }
};

} // namespace refero::test
