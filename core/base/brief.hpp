// What a library says of a file that it cannot read, without what is no business of the user's.
#pragma once

#include <regex>
#include <string>

namespace refero {

/// "line 3: Malformed color triples specified" of a long report; where it names no line, that the file is of no kind
/// that is known.
inline std::string in_brief(const std::string& report) {
    static const std::regex place(R"(At line \((\d+)\): '[^']*'\.\s*([^.\n]+))");
    std::smatch found;
    return std::regex_search(report, found, place) ? "line " + found[1].str() + ": " + found[2].str()
                                                   : "it is of no kind that is known, or not whole";
}

} // namespace refero
