// Pictures of the open job: pixels of the chart shots looked at lately, renditions, small pictures.
#pragma once

#include <QObject>
#include <functional>
#include <map>
#include <memory>
#include <set>

#include "model/chains.hpp"
#include "model/pictures/rendition.hpp"

namespace refero::app {

class JobDocument;
class Notices;

/// What a corrected picture is compared with.
struct Comparison {
    enum class With { balance, standard, version, elsewhere };
    With with = With::balance;
    Id version = 0;     ///< a kept correction
    prove::Named other; ///< one made elsewhere
    double chroma = 1;  ///< both pictures with colours so many times as strong
    bool operator==(const Comparison&) const = default;
};

class Pictures : public QObject {
    Q_OBJECT

public:
    Pictures(JobDocument& job, Chains& chains, Tasks& tasks, Notices& notices);

    /// Pixels of a setup's chart shot and the same for the screen, uncorrected; empty where they are not in memory.
    struct Shown {
        std::shared_ptr<const frame::Frame> frame;
        Rendition picture;
        std::string key; ///< what they show
    };
    const Shown& of(Id setup) const;
    /// The chart shot in small, corrected once there is a correction; null where there is none yet.
    QImage small(Id setup) const;
    /// Has the pixels of a setup's chart shot read, if they are not.
    void look_at(Id setup);
    /// Pixels that came with something else; kept if the setup is looked at.
    void bring(Id setup, const operations::FrameSource& source, std::shared_ptr<const frame::Frame> frame,
               const Rendition& picture);
    void forget_failures() { failed_.clear(); }

    /// Before and after of the chart shot (0) or an ordinary frame; `after` is empty without a correction.
    void preview(Id setup, Id frame, const Comparison& with,
                 std::function<void(Rendition before, Rendition after)> show);
    /// The linear pixels of the chart shot (0) or another frame, at most so wide (0: as they are).
    void pixels(Id setup, Id frame, int most_width, std::function<void(std::shared_ptr<const frame::Frame>)> show);
    /// A small picture of a frame, now or when it has come.
    void thumbnail(Id frame, std::function<void(QImage)> show);

signals:
    void changed(Id setup);

private:
    struct Small {
        std::string key;
        QImage image;
    };
    void follow(Id setup);
    void let_go(Id but);

    JobDocument& job_;
    Chains& chains_;
    Tasks& tasks_;
    Notices& notices_;
    std::map<Id, Shown> shown_;
    std::map<Id, Small> small_;
    std::vector<Id> looked_at_;    ///< lately, newest last
    std::set<std::string> failed_; ///< pictures that could not be read
};

/// For the screen, with no more than a viewing balance; its small picture is kept.
Rendition uncorrected_rendition(const frame::Frame& frame, const std::string& key, std::stop_token stop);

} // namespace refero::app
