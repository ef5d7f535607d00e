// Texts of the core as the window's.
#pragma once

#include <QString>
#include <filesystem>
#include <string>

#include "base/base.hpp"

namespace refero::app {

inline QString qt(const std::string& s) { return QString::fromStdString(s); }
inline QString name_of_file(const std::filesystem::path& p) { return qt(p.filename().string()); }
inline QString words_of(const Error& e) { return qt(e.sentences()); }

} // namespace refero::app
