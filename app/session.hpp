// What is open: the job's setups with everything measured and made of them. The window's views read it and ask it
// to act; slow work runs beside the window.
#pragma once

#include <QObject>
#include <QUndoStack>
#include <functional>
#include <memory>
#include <optional>

#include "deliver/deliver.hpp"
#include "job/job.hpp"
#include "job/pipeline.hpp"
#include "rendition.hpp"
#include "task.hpp"

namespace refero::app {

namespace fs = std::filesystem;

/// The six links of a setup's chain of evidence.
enum class Step { shot, reading, balance, correction, proof, handover };
inline constexpr int step_count = 6;
enum class LinkState { missing, broken, worn, whole };

/// What the user decides in a setup; undo and redo go over it.
struct Settings {
    std::string chart;                     ///< id; empty: any installed chart
    std::optional<chart::Corners> corners; ///< by hand, needs `chart`; none: found
    std::string white;                     ///< patch to balance on; empty: chosen
    std::optional<fit::Model> model;       ///< none: by cross-validation
    fit::Intent intent = fit::Intent::colorimetric;
    fs::path reference;                    ///< CGATS; empty: the chart's own
    bool operator==(const Settings&) const = default;
};

struct Handover {
    fs::path file;
    QString kind, message;
    std::shared_ptr<const fit::Correction> made_from;
};

struct SetupState {
    job::Setup setup;
    Settings settings;
    bool waiting = false;  ///< its frames are being made
    bool busy = false;     ///< its chart shot is being read
    QString problem;       ///< why there is no reading
    std::shared_ptr<const frame::Frame> frame;
    std::shared_ptr<const job::MeasuredShot> shot; ///< placement and reading
    std::shared_ptr<const chart::Reference> reference;
    std::optional<balance::Balance> balance;
    std::optional<colour::Temperature> light;
    QString balance_problem;
    std::shared_ptr<const fit::Correction> correction;
    std::shared_ptr<const prove::Proof> proof;
    Settings fitted_with;                                ///< what the correction was made with ...
    std::shared_ptr<const job::MeasuredShot> fitted_from;   ///< ... and from
    bool fitting = false;
    std::vector<Handover> handovers;
    Rendition picture;    ///< the chart shot, uncorrected
    QImage small_picture; ///< the same in small, corrected once there is a correction

    bool correction_stale() const { return correction && fitted_from && (settings != fitted_with || shot != fitted_from); }
    LinkState link(Step step) const;
    /// The one figure of a link ("D2", "dE 0.21") and what to do next about it; either may be empty.
    QString figure(Step step) const;
    QString next(Step step) const;
    /// The first link that is not whole, or handover.
    Step current() const;
};

QString name_of(Step step);
QString name_of(LinkState state);

struct Loaded; // a frame and what was found and measured in it, beside the window

class Session : public QObject {
    Q_OBJECT

public:
    explicit Session(QObject* parent = nullptr);
    ~Session() override;

    Tasks& tasks() { return tasks_; }
    QUndoStack& undo() { return undo_; }
    const job::Job& job() const { return job_; }
    int count() const { return static_cast<int>(setups_.size()); }
    const SetupState& at(int setup) const { return setups_[static_cast<std::size_t>(setup)]; }
    QString title_of(int setup) const; ///< "Stills A, Window"

    /// Opens the demo job with its frames in `folder`. They are made once, in `cache`, and copied from there; with an
    /// empty `cache` they are made where they belong.
    void open_demo(const fs::path& description, const fs::path& folder, const fs::path& cache = {});
    /// Opens any own file: frames, corrections, chart definitions, reference values. `current` may be -1.
    void open(const std::vector<fs::path>& files, int current);

    void change(int setup, const Settings& settings, const QString& what);
    void fit(int setup);
    void fit_all();
    /// Before and after of the chart shot (-1) or an ordinary frame; `after` is empty without a correction.
    void preview(int setup, int frame, std::function<void(Rendition before, Rendition after)> show);
    /// Small pictures of the ordinary frames, one call each as they come.
    void thumbnails(int setup, std::function<void(int frame, QImage)> show);
    void export_file(int setup, deliver::Format format, const deliver::Options& options, const fs::path& file);
    void export_correction(int setup, const fs::path& file);
    void export_reading(int setup, const fs::path& file);
    void export_frames(int setup, apply::Format format, const std::string& space, const fs::path& folder);

signals:
    void job_changed();
    void setup_changed(int setup);
    void setup_opened(int setup);
    void notice(const QString& message);

private:
    friend class ChangeSettings;
    void set(int setup, const Settings& settings);
    void load(int setup);
    void adopt(int setup, const Loaded& loaded);
    void measure(int setup);
    void weigh(SetupState& s);
    void open_frame(const fs::path& file, int current);
    void open_json(const fs::path& file);
    void open_correction(const fs::path& file);
    void open_reference(const fs::path& file, int current);
    int add_setup(const std::string& camera, const std::string& lens, const std::string& light, const fs::path& chart_shot);
    void exported(int setup, const fs::path& file, const QString& kind, const QString& message, std::shared_ptr<const fit::Correction> from);
    SetupState& state(int setup) { return setups_[static_cast<std::size_t>(setup)]; }

    Tasks tasks_;
    QUndoStack undo_;
    job::Job job_;
    std::vector<SetupState> setups_;
};

} // namespace refero::app
