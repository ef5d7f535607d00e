// Small pictures of frames, kept in the user's cache by what they show.
#pragma once

#include <QImage>
#include <string>

#include "operations/capture/measure.hpp"

namespace refero::app {

inline constexpr int thumbnail_width = 480;

/// Names the small picture of a frame by its file's hash, a clip's position and the curve; empty without a hash.
std::string picture_key(const operations::FrameSource& source);
/// The same with a correction (its JSON).
std::string corrected_key(const operations::FrameSource& source, const std::string& correction);

/// Null when there is none. Quick: one small file.
QImage kept_picture(const std::string& key);
void keep_picture(const std::string& key, const QImage& image);

/// A job's board as it was last seen, in small; null where it was never kept.
QImage kept_board(const QString& job);
void keep_board(const QString& job, const QImage& board);

} // namespace refero::app
