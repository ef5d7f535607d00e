// What is done with a setup: decided, fitted, proved, lent, kept.
#pragma once

#include "model/pictures/pictures.hpp"
#include "operations/correct/making.hpp"

namespace refero::app {

class KitDocument;
using operations::Judged;
using operations::Version;

class Setups : public QObject {
    Q_OBJECT

public:
    Setups(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks, Notices& notices);

    void change(Id setup, const Settings& settings, const QString& what);
    /// Corners given about right move to where the chart's edges are, and are the setup's.
    void place(Id setup, const std::string& chart, const chart::Corners& about, const QString& what);
    void refuse(Id setup, const QString& why);
    void accept(Id setup);
    void fit(Id setup);
    /// Every stretch of every setup that is read and wants it.
    void fit_all();
    /// Proves the correction in force on the setup's own chart shot.
    void prove(Id setup);
    /// Proves it on another frame of a chart, scaled to its exposure.
    void prove_on(Id setup, const fs::path& frame, std::function<void(std::shared_ptr<const prove::Proof>)> show);
    /// A copy of one setup's correction for another.
    void lend(Id from, Id to);
    /// Puts an earlier correction in force again.
    void bring_back(Id setup, Id correction);
    /// The setup's kept corrections, newest first.
    void versions(Id setup, std::function<void(std::vector<Version>)> show);
    /// The raw file's own rendering and what was made elsewhere, on the setup's reading.
    void judge_others(Id setup, std::function<void(std::vector<Judged>)> show);
    /// How the light falls on the chart, by its reading.
    void light_on_chart(Id setup, std::function<void(const inspect::Explained&)> show);
    /// How many chart shots of the setup are good enough to be averaged.
    int good_shots(Id setup) const;
    /// Measures the tone curve of the setup's recording mode from all chart shots of its camera in that mode, writes it
    /// as a 1D LUT and lets the mode use it.
    void measure_curve(Id setup, const fs::path& lut);

    /// A spot of a frame becomes something to balance on; the card that it may be is graded by the setup's correction.
    void take_spot(Id setup, Id frame, const chart::Point& at);
    /// How far from neutral a spot is by the setup's correction: CIELAB chroma, and in words. None without a
    /// correction.
    std::optional<std::pair<double, QString>> grade(Id setup, const std::string& spot) const;
    /// Keeps the grade of a spot with a card of the kit.
    void keep_grade(Id setup, const std::string& spot, Id card);

    /// The kit's fallback for a setup's camera and kind of light, or null; and a copy of it as the setup's correction.
    const shoot::FallbackRecord* fallback_for(Id setup);
    void take_fallback(Id setup);
    /// Keeps a setup's correction in the kit, for its camera and kind of light; the job gets a copy.
    void keep_fallback(Id setup);
    /// Cameras, lights and charts of the job that the kit does not know yet.
    void keep_in_kit();
    /// The gate's limits, JSON: of the house, and of the open job.
    void set_limits(const std::string& limits);

signals:
    void fitted(Id setup);

private:
    void fit(const Chain& chain);

    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Pictures& pictures_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
