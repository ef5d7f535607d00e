// Small pictures of frames, kept in the user's cache by the hash of the file they show.
#pragma once

#include <QImage>
#include <string>

namespace refero::app {

inline constexpr int thumbnail_width = 480;

/// Null when there is none. Quick: one small file.
QImage kept_thumbnail(const std::string& key);
void keep_thumbnail(const std::string& key, const QImage& image);

} // namespace refero::app
