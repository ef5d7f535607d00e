// What the tests of the ways out begin with.
#pragma once

#include "cli.hpp"

namespace refero::test {

/// A frame of a chart, a.dng, and the correction fitted to it, a.json.
struct Fitted : Cli {
    void SetUp() override {
        simulate("a.dng", {.width = 600, .height = 400});
        ASSERT_EQ(run("fit a.dng -o a.json").status, 0);
    }
    std::string bytes(const std::string& name) { return read_file(scratch / name); }
};

} // namespace refero::test
