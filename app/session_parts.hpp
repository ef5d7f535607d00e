// Shared by the session's sources.
#pragma once

#include "session.hpp"

namespace refero::app {

inline QString qt(const std::string& s) { return QString::fromStdString(s); }
inline QString name_of_file(const fs::path& p) { return qt(p.filename().string()); }
/// Where the watched folders of a job are remembered.
inline QString watch_key(const fs::path& job) {
    return "watched/" + qt(std::to_string(std::hash<std::string>{}(job.string())));
}
/// How the code values of a setup's frames become light: its mode's curve; empty: by the files' own tags.
inline std::string encoding_of(const plan::Shoot& shoot, const plan::Setup& setup) {
    const plan::Mode* mode = plan::record(shoot.modes, setup.mode);
    return mode ? mode->encoding : std::string();
}
/// An error's message and remedy without the file: "No chart was found. Check that ...".
QString words_of(const Error& e);
std::string text_of(const std::optional<chart::Corners>& corners);
std::optional<chart::Corners> corners_from(const std::string& text);

/// Names the small picture of a frame; of a clip at its position.
std::string picture_key(const plan::Frame& frame);

/// Beside the window: the frame, the chart in it and its reading.
struct Loaded {
    std::shared_ptr<const frame::Frame> frame;
    std::shared_ptr<const job::MeasuredShot> shot; ///< without pixels
    Rendition picture;
    QImage small;                        ///< of it
    QString problem;                     ///< why there is no reading
    double kelvin = 0, duv = 0;          ///< of the light, by the neutrals
    std::vector<plan::Finding> findings; ///< of the gate
};

/// Reads a frame or a still of a clip.
frame::Frame read_pixels(const plan::Frame& row, frame::Size size, const std::string& encoding,
                         const std::stop_token& stop);
Loaded load_shot(const plan::Frame& row, const Settings& settings, const std::string& encoding, bool with_picture,
                 const inspect::Limits& limits, const std::stop_token& stop, const Progress& progress);
void try_measuring(Loaded& l, const plan::Frame& row, const Settings& settings, const inspect::Limits& limits,
                   const std::stop_token& stop);
/// The gate's limits by the job's school.
inspect::Limits limits_of(const plan::Shoot& shoot);

} // namespace refero::app
