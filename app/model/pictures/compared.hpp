// Pictures that are set beside each other: of several setups, frames and kept versions.
#pragma once

#include "model/pictures/pictures.hpp"

namespace refero::app {

/// One of them.
struct Compared {
    enum class As { balanced, corrected, version };
    Id setup = 0, frame = 0; ///< the frame's row: the chart shot's or another
    As as = As::corrected;
    Id version = 0; ///< a kept correction, of the setup or another of its camera
    bool operator==(const Compared&) const = default;
};

/// How one differs from the first.
struct PictureDifference {
    Rendition picture; ///< black for none, white from `full` CIEDE2000 on; empty where the two cannot be laid over
                       ///< each other
    double mean = 0;   ///< CIEDE2000
};

class ComparedPictures {
public:
    ComparedPictures(JobDocument& job, Chains& chains, Tasks& tasks, Notices& notices)
        : job_(job),
          chains_(chains),
          tasks_(tasks),
          notices_(notices) {}

    /// What can be chosen: of a setup its chart shot and frames, and kept versions; 0: chart shots of all setups.
    std::vector<Compared> offered(Id setup) const;
    /// "Stills A, Window", "chart.dng, corrected".
    std::pair<QString, QString> name_of(const Compared& one) const;
    /// It, or nothing where its file cannot be read, which is told.
    void show(const Compared& one, std::function<void(Rendition)> show);
    /// The same frame, or two chart shots by the plane of the chart; else says nothing of them.
    bool can_be_laid(const Compared& first, const Compared& other) const;
    void difference(const Compared& first, const Rendition& first_picture, const Compared& other,
                    const Rendition& other_picture, double full, std::function<void(PictureDifference)> show);

private:
    const shoot::FrameRecord* row_of(const Compared& one) const;

    JobDocument& job_;
    Chains& chains_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
