// What is open: a job with its setups and everything measured and made of them. The window's views read it and ask it
// to act. What a person decided and what was made lies in the job file; every change is one step of undo. Slow work
// runs beside the window.
#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>

#include "deliver/deliver.hpp"
#include "job/demo.hpp"
#include "job/document.hpp"
#include "job/intake.hpp"
#include "job/pipeline.hpp"
#include "prove/elsewhere.hpp"
#include "rendition.hpp"
#include "task.hpp"

namespace refero::app {

namespace fs = std::filesystem;
using plan::Id;

/// The six links of a setup's chain of evidence.
enum class Step { shot, reading, balance, correction, proof, handover };
inline constexpr int step_count = 6;
enum class LinkState { missing, broken, worn, whole };

/// What the user decides in a setup.
struct Settings {
    std::string chart;                     ///< id; empty: any installed chart
    std::optional<chart::Corners> corners; ///< by hand, needs `chart`; none: found
    std::string white;                     ///< patch to balance on; empty: chosen
    std::optional<fit::Model> model;       ///< none: by cross-validation
    fit::Intent intent = fit::Intent::colorimetric;
    fs::path reference;               ///< CGATS; empty: the chart's own
    fit::Weights weights;             ///< of patches or roles
    bool curves = false;              ///< bring the greys' channels together
    std::vector<std::string> spots;   ///< things thought neutral to balance on, as balance::text_of writes them
    balance::Finish finish;           ///< after the correction
    bool average = false;             ///< all good chart shots together, else the latest
    std::vector<fs::path> samples;    ///< readings and reference values of samples that join in; empty or two files
    std::vector<prove::Named> others; ///< corrections made elsewhere, to be judged beside one's own
    bool operator==(const Settings&) const = default;
};

struct Handover {
    fs::path file;
    QString kind, message;
    Id correction = 0;
};

/// One setup: its row and what hangs on it, with what is too large for the job file beside it.
struct SetupState {
    Id id = 0;
    plan::Setup row;
    QString title; ///< "Stills A, Window"
    plan::State state = plan::State::to_shoot;
    Settings settings;
    Id chart_shot = 0;
    plan::Frame chart_frame;                       ///< of the chart shot; id 0: none
    QString refused;                               ///< why the chart shot is of no use
    std::vector<plan::Finding> findings;           ///< of the gate, the most important first
    QString gate;                                  ///< "pass", "caution", "reshoot"; empty: not judged
    std::vector<Id> frames;                        ///< ordinary frames and clips
    bool waiting = false;                          ///< its frames are being made
    bool busy = false;                             ///< its chart shot is being read
    QString problem;                               ///< why there is no reading
    std::shared_ptr<const frame::Frame> frame;     ///< pixels of the chart shot; only of setups looked at lately
    std::shared_ptr<const job::MeasuredShot> shot; ///< placement and reading
    std::shared_ptr<const chart::Reference> reference;
    std::optional<balance::Balance> balance;
    std::optional<colour::Temperature> light;
    QString balance_problem;
    Id correction_id = 0, taken_from = 0;
    std::shared_ptr<const fit::Correction> correction;
    std::shared_ptr<const prove::Proof> proof; ///< on the reading
    bool proved = false;
    double proof_mean = 0; ///< CIEDE2000 of the proof in the job
    std::vector<plan::Staleness> stale;
    bool fitting = false;
    std::vector<Handover> handovers;
    Rendition picture;    ///< the chart shot, uncorrected
    QImage small_picture; ///< the same in small, corrected once there is a correction

    bool balance_only() const { return row.balance_only; }
    bool correction_stale() const { return correction && !stale.empty(); }
    /// A fit can be made, and would mend what there is: it does not where the light has changed since the chart shot.
    bool wants_fit() const;
    /// The links of this setup's chain: a balance-only one does without correction and proof.
    std::vector<Step> steps() const;
    bool whole() const;
    LinkState link(Step step) const;
    /// The one figure of a link ("D2", "dE 0.21") and what to do next about it; either may be empty.
    QString figure(Step step) const;
    QString next(Step step) const;
    /// The first link that is not whole, or handover.
    Step current() const;

private:
    friend class Session;
    std::string reading_content, correction_content, weighed, stamp;
    bool failed_to_load = false;
};

QString name_of(Step step);
QString name_of(LinkState state);

/// What a corrected picture is compared with.
struct Comparison {
    enum class With { balance, standard, version, elsewhere };
    With with = With::balance;
    Id version = 0;     ///< a kept correction
    prove::Named other; ///< one made elsewhere
    double chroma = 1;  ///< both pictures with colours so many times as strong
    bool operator==(const Comparison&) const = default;
};

/// A correction that a setup has kept.
struct Version {
    Id id = 0;
    QString made, model;           ///< local time; the model's name
    double left_out = 0, here = 0; ///< mean CIEDE2000: cross-validated, and on the reading in force (0: cannot be told)
};

/// One made elsewhere, or the raw file's own rendering, judged on a setup's reading.
struct Judged {
    QString name, kind, problem;
    fit::Statistics as_it_is, trimmed_left_out;
    std::string worst; ///< patch, as it is
};

struct Loaded; // a frame and what was found and measured in it, beside the window

class Session : public QObject {
    Q_OBJECT

public:
    explicit Session(QObject* parent = nullptr);
    ~Session() override;

    // ---- the job and the kit
    bool has_job() const { return job_ != nullptr; }
    const plan::Shoot& shoot() const;
    const plan::Kit& kit();
    fs::path job_file() const { return job_ ? job_->file() : fs::path(); }
    void new_job(const fs::path& file);
    void open_job(const fs::path& file);
    /// A job without a name of its own, in the user's data folder.
    void start_untitled();
    /// Writes the job under another name and goes on there.
    void save_as(const fs::path& file);
    void close_job();
    /// The demo job and its kit in `folder`; frames are made once, in `cache`, and copied from there. With an empty
    /// `cache` they are made where they belong.
    void open_demo(const fs::path& description, const fs::path& folder, const fs::path& cache = {});
    /// Where the kit lies; by default in the user's data folder.
    void use_kit(const fs::path& file);
    /// Takes in what another Refero has changed in the kit.
    void refresh_kit();
    /// One change of the job: one transaction, one step of undo. Errors become notices; false then.
    bool change(const QString& what, const std::function<void(job::Edit&)>& edit, bool quiet = false);
    bool change_kit(const QString& what, const std::function<void(job::Edit&)>& edit);
    void undo();
    void redo();
    QString undo_title() const;
    QString redo_title() const;
    /// The same for the kit, which has a history of its own.
    void undo_kit();
    void redo_kit();
    QString undo_kit_title() const;
    QString redo_kit_title() const;
    std::vector<job::LogEntry> log(const QString& search, int most = 100000) const;
    void note(const QString& what, const QString& where = {});

    // ---- setups
    std::vector<Id> ids() const;
    int count() const { return static_cast<int>(states_.size()); }
    bool has(Id setup) const { return states_.contains(setup); }
    const SetupState& at(Id setup) const { return states_.at(setup); }
    QString title_of(Id setup) const; ///< "Stills A, Window"
    const plan::Frame* frame_row(Id frame) const { return plan::record(shoot().frames, frame); }
    /// Has the pixels of a setup's chart shot read, if they are not.
    void look_at(Id setup);
    void change(Id setup, const Settings& settings, const QString& what);
    void refuse(Id setup, const QString& why);
    void accept(Id setup);
    void fit(Id setup);
    void fit_all();
    /// Proves the correction in force on the setup's own chart shot.
    void prove(Id setup);
    /// A copy of one setup's correction for another.
    void lend(Id from, Id to);

    /// The kit's fallback for a setup's camera and kind of light, or null; and a copy of it as the setup's correction.
    const plan::Fallback* fallback_for(Id setup);
    void take_fallback(Id setup);
    /// Cameras, lights and charts of the job that the kit does not know yet.
    void keep_in_kit();
    /// Keeps a setup's correction in the kit, for its camera and kind of light; the job gets a copy.
    void keep_fallback(Id setup);

    // ---- frames
    /// Opens any own file: jobs, frames, corrections, chart definitions, reference values. `current` may be 0.
    void open(const std::vector<fs::path>& files, Id current);
    /// Takes frames into the job: recognised and assigned, or into `setup` when it is given.
    void take_in(const std::vector<fs::path>& files, Id setup = 0);
    void watch(const std::vector<fs::path>& folders);
    std::vector<fs::path> watched() const;
    void assign(const std::vector<Id>& frames, Id setup);
    void let_assign(const std::vector<Id>& frames);
    /// The frame shows the chart, or does not.
    void make_chart_shot(Id frame, Id setup, double position_s = 0);
    void make_ordinary(Id frame);
    /// Two frames of one moment: the second's camera gets the offset that makes their times equal.
    void same_moment(Id frame, Id other);
    void set_silent_lens(Id camera, Id lens);
    void remove_frames(const std::vector<Id>& frames);
    /// Looks for frames that are not where they were, in a folder and below.
    void find_moved(const fs::path& folder);
    int missing_frames() const { return missing_; }

    /// Before and after of the chart shot (0) or an ordinary frame; `after` is empty without a correction.
    void preview(Id setup, Id frame, const Comparison& with,
                 std::function<void(Rendition before, Rendition after)> show);
    /// The linear pixels of the chart shot (0) or another frame, at most so wide (0: as they are).
    void pixels(Id setup, Id frame, int most_width, std::function<void(std::shared_ptr<const frame::Frame>)> show);
    /// A spot of a frame becomes something to balance on; the card that it may be is graded by the setup's correction.
    void take_spot(Id setup, Id frame, const chart::Point& at);
    /// How far from neutral a spot is by the setup's correction: CIELAB chroma, and in words. None without a
    /// correction.
    std::optional<std::pair<double, QString>> grade(Id setup, const std::string& spot) const;
    /// Keeps the grade of a spot with a card of the kit.
    void keep_grade(Id setup, const std::string& spot, Id card);
    /// The setup's kept corrections, newest first.
    std::vector<Version> versions(Id setup) const;
    /// Puts an earlier one in force again.
    void bring_back(Id setup, Id correction);
    /// The raw file's own rendering and what was made elsewhere, on the setup's reading.
    void judge_others(Id setup, std::function<void(std::vector<Judged>)> show);
    /// Writes one made elsewhere, with a small fitted correction after it, as a cube.
    void export_trimmed(Id setup, const prove::Named& other, const fs::path& file);
    /// How many chart shots of the setup are good enough to be averaged.
    int good_shots(Id setup) const;
    /// Measures the tone curve of the setup's recording mode from all chart shots of its camera in that mode, writes it
    /// as a 1D LUT and lets the mode use it.
    void measure_curve(Id setup, const fs::path& lut);
    /// Proves the correction on another frame of a chart, scaled to its exposure.
    void prove_on(Id setup, const fs::path& frame, std::function<void(std::shared_ptr<const prove::Proof>)> show);
    /// A small picture of a frame, now or when it has come.
    void thumbnail(Id frame, std::function<void(QImage)> show);
    void export_file(Id setup, deliver::Format format, const deliver::Options& options, const fs::path& file);
    void export_correction(Id setup, const fs::path& file);
    void export_reading(Id setup, const fs::path& file);
    /// With a `second` setup each raw frame gets what its own balance says between both lights.
    void export_frames(Id setup, apply::Format format, const std::string& space, const fs::path& folder, Id second = 0);

    Tasks& tasks() { return tasks_; }

signals:
    void job_changed(); ///< cameras, lights, setups, title
    void setup_changed(Id setup);
    void setup_opened(Id setup);
    void frames_changed();
    void kit_changed();
    void history_changed();
    void notice(const QString& message);
    /// A camera's files name no lens: which one is it?
    void lens_wanted(Id camera);

private:
    void adopt_job(std::unique_ptr<job::JobFile> job);
    void follow();
    bool follow_setup(SetupState& s, const plan::Setup& row, const plan::Standing& standing);
    void after_change();
    void guarded(const std::function<void()>& work);
    void look_for_missing();
    std::vector<const plan::ChartShot*> shots_to_average(Id setup) const;
    void load(Id setup);
    void adopt(Id setup, const Loaded& loaded);
    void measure(Id setup);
    void weigh(SetupState& s);
    void keep_reading(Id setup, const Loaded& loaded);
    /// A chart shot as it was measured, if it was.
    std::optional<job::MeasuredShot> measured(const plan::ChartShot& shot) const;
    /// What the gate found, and what the setup's first other shot adds to it.
    std::vector<plan::Finding> findings_of(const Loaded& loaded, Id setup, Id chart_shot) const;
    void small_picture(Id setup);
    void let_go_of_pictures(Id but);
    void fitted(Id setup, std::shared_ptr<fit::Correction> made, const std::string& settings, const QImage& small);
    void open_json(const fs::path& file);
    void open_correction(const fs::path& file);
    void open_reference(const fs::path& file, Id current);
    void take(const fs::path& file, Id setup, bool by_hand, Id current);
    void arrived(plan::Frame frame, const Loaded& loaded, Id setup, bool by_hand, Id current);
    void place_frames();
    Id new_setup(job::Edit& edit, plan::Frame& frame, const std::string& light);
    void exported(Id setup, const fs::path& file, const QString& kind, const QString& message);
    void remember_light(Id setup);
    void demo_step(Id setup);
    SetupState* state(Id setup);

    Tasks tasks_;
    std::unique_ptr<job::JobFile> job_;
    std::unique_ptr<job::KitFile> kit_;
    fs::path kit_file_;
    std::map<Id, SetupState> states_;
    std::string structure_;
    std::vector<Id> looked_at_; ///< lately, newest last
    job::FolderWatch watch_;
    mutable std::mutex watch_lock_; ///< a worker looks, the window's thread tells what is known
    QTimer watch_timer_, settle_timer_;
    bool looking_ = false;
    int missing_ = 0;
    std::set<Id> asked_for_lens_;
    fs::path own_kit_; ///< put aside while the demo has its own
    std::map<Id, job::DemoGoal> demo_goals_;
    fs::path demo_folder_;
};

} // namespace refero::app
