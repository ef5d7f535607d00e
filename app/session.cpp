// The job and its setups: opening, changing, following the file.
#include "session.hpp"

#include <QDateTime>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>

#include "session_parts.hpp"

namespace refero::app {

namespace {

constexpr int watch_every_ms = 400;

const plan::Shoot& no_shoot() {
    static const plan::Shoot none;
    return none;
}

} // namespace

QString words_of(const Error& e) {
    QString words = qt(e.message()) + (e.remedy().empty() ? "." : ". " + qt(e.remedy()) + ".");
    words[0] = words[0].toUpper();
    return words;
}

std::string text_of(const std::optional<chart::Corners>& corners) {
    std::string text;
    if (corners)
        for (const chart::Point& p : *corners)
            text += formatted("%s%.10g,%.10g", text.empty() ? "" : " ", p.x(), p.y());
    return text;
}

std::optional<chart::Corners> corners_from(const std::string& text) {
    chart::Corners c;
    double v[8];
    if (std::sscanf(text.c_str(), "%lf,%lf %lf,%lf %lf,%lf %lf,%lf", v, v + 1, v + 2, v + 3, v + 4, v + 5, v + 6,
                    v + 7) != 8)
        return std::nullopt;
    for (std::size_t i = 0; i < 4; ++i) c[i] = {v[2 * i], v[2 * i + 1]};
    return c;
}

Session::Session(QObject* parent) : QObject(parent), kit_file_(user_data_dir() / "kit.refero-kit") {
    connect(&tasks_, &Tasks::failed, this, &Session::notice);
    watch_timer_.setInterval(watch_every_ms);
    connect(&watch_timer_, &QTimer::timeout, this, [this] {
        if (looking_) return;
        looking_ = true;
        // Cards and network folders can be slow.
        auto found = std::make_shared<std::vector<fs::path>>();
        tasks_.run_quietly([this, found](std::stop_token, const Progress&) -> Tasks::Then {
            const std::lock_guard lock(watch_lock_);
            *found = watch_.look();
            return [this, found] {
                looking_ = false;
                if (!found->empty()) take_in(*found);
            };
        });
    });
    settle_timer_.setSingleShot(true);
    settle_timer_.setInterval(150);
    connect(&settle_timer_, &QTimer::timeout, this, &Session::place_frames);
}

Session::~Session() {
    watch_timer_.stop();
    tasks_.drain();
}

const plan::Shoot& Session::shoot() const { return job_ ? job_->content() : no_shoot(); }

const plan::Kit& Session::kit() {
    static const plan::Kit none;
    if (!kit_) {
        try {
            fs::create_directories(kit_file_.parent_path());
            kit_ = std::make_unique<job::KitFile>(kit_file_, job::KitFile::Open::either);
        } catch (const std::exception& e) {
            emit notice(QString::fromUtf8(e.what()));
            return none;
        }
    }
    return kit_->content();
}

void Session::use_kit(const fs::path& file) {
    kit_.reset();
    kit_file_ = file;
    emit kit_changed();
}

void Session::refresh_kit() {
    kit();
    bool changed = false;
    if (kit_) guarded([&] { changed = kit_->refresh(); });
    if (changed) emit kit_changed();
}

void Session::guarded(const std::function<void()>& work) {
    try {
        work();
    } catch (const Error& e) { emit notice(QString::fromUtf8(e.what())); }
}

bool Session::change(const QString& what, const std::function<void(job::Edit&)>& edit, bool quiet) {
    bool done = false;
    guarded([&] {
        if (!job_) start_untitled();
        job_->change(what.toStdString(), edit, quiet);
        done = true;
    });
    if (done) after_change();
    return done;
}

bool Session::change_kit(const QString& what, const std::function<void(job::Edit&)>& edit) {
    bool done = false;
    kit();
    if (!kit_) return false;
    guarded([&] {
        kit_->change(what.toStdString(), edit);
        done = true;
    });
    if (done) emit kit_changed();
    return done;
}

void Session::undo() {
    if (job_) guarded([&] { job_->undo(); });
    after_change();
}

void Session::redo() {
    if (job_) guarded([&] { job_->redo(); });
    after_change();
}

void Session::undo_kit() {
    if (kit_) guarded([&] { kit_->undo(); });
    emit kit_changed();
}

void Session::redo_kit() {
    if (kit_) guarded([&] { kit_->redo(); });
    emit kit_changed();
}

QString Session::undo_kit_title() const { return kit_ ? qt(kit_->undo_title()) : QString(); }
QString Session::redo_kit_title() const { return kit_ ? qt(kit_->redo_title()) : QString(); }
QString Session::undo_title() const { return job_ ? qt(job_->undo_title()) : QString(); }
QString Session::redo_title() const { return job_ ? qt(job_->redo_title()) : QString(); }

std::vector<job::LogEntry> Session::log(const QString& search, int most) const {
    return job_ ? job_->store().log(search.toStdString(), most) : std::vector<job::LogEntry>();
}

void Session::note(const QString& what, const QString& where) {
    if (job_) guarded([&] { job_->store().note(what.toStdString(), where.toStdString()); });
    emit history_changed();
}

void Session::after_change() {
    follow();
    emit history_changed();
}

void Session::adopt_job(std::unique_ptr<job::JobFile> job) {
    if (job_) close_job(); // else what is under way is on its way into this one
    job_ = std::move(job);
    for (const plan::Frame& f : shoot().frames) {
        const std::lock_guard lock(watch_lock_);
        watch_.known(f.path);
    }
    after_change();
    look_for_missing();
    // Folders are of this machine, not of the job.
    std::vector<fs::path> folders;
    for (const QString& f : QSettings().value(watch_key(job_file())).toStringList())
        if (QFileInfo(f).isDir()) folders.emplace_back(f.toStdString());
    if (!folders.empty()) watch(folders);
}

void Session::close_job() {
    tasks_.drain();
    looking_ = false;
    watch_timer_.stop();
    {
        const std::lock_guard lock(watch_lock_);
        watch_.set_folders({});
        watch_.forget();
    }
    states_.clear();
    looked_at_.clear();
    demo_goals_.clear();
    asked_for_lens_.clear();
    structure_.clear();
    missing_ = 0;
    job_.reset();
    if (!own_kit_.empty()) use_kit(std::exchange(own_kit_, {}));
}

void Session::new_job(const fs::path& file) {
    guarded([&] { adopt_job(std::make_unique<job::JobFile>(file, job::JobFile::Open::create)); });
}

void Session::open_job(const fs::path& file) {
    if (job_ && fs::exists(file) && fs::exists(job_file()) && fs::equivalent(file, job_file())) return;
    guarded([&] { adopt_job(std::make_unique<job::JobFile>(file, job::JobFile::Open::existing)); });
}

void Session::start_untitled() {
    const fs::path folder = user_data_dir() / "jobs";
    fs::create_directories(folder);
    const std::string day = QDateTime::currentDateTime().toString("yyyy-MM-dd").toStdString();
    fs::path file = folder / ("Untitled " + day + ".refero");
    for (int n = 2; fs::exists(file); ++n) file = folder / ("Untitled " + day + " " + std::to_string(n) + ".refero");
    new_job(file);
}

void Session::save_as(const fs::path& file) {
    std::error_code ec;
    if (!job_ || fs::equivalent(file, job_file(), ec)) return;
    guarded([&] {
        job_->store().save_copy(file);
        adopt_job(std::make_unique<job::JobFile>(file, job::JobFile::Open::existing));
    });
}

void Session::open_demo(const fs::path& description, const fs::path& folder, const fs::path& cache) {
    guarded([&] {
        close_job();
        fs::create_directories(folder);
        const fs::path own = kit_file_;
        use_kit(folder / "demo.refero-kit");
        kit();
        auto job = std::make_unique<job::JobFile>(folder / "museum.refero", job::JobFile::Open::create);
        const job::Demo demo = job::start_demo(description, folder, *job, *kit_);
        adopt_job(std::move(job));
        own_kit_ = own;
        emit kit_changed();
        for (const job::DemoGoal& g : demo.goals) demo_goals_[g.setup] = g;
        demo_folder_ = folder;
        for (const job::DemoFrame& frame : demo.frames) {
            if (frame.chart) {
                states_[frame.setup].waiting = true;
                emit setup_changed(frame.setup);
            }
            tasks_.run(
                tr("Making the demo's frames"),
                [this, frame, cache](std::stop_token stop, const Progress&) -> Tasks::Then {
                    job::make(frame, cache, stop);
                    const plan::Frame row = job::described(frame.file);
                    return [this, frame, row] {
                        if (SetupState* s = state(frame.setup)) s->waiting = false;
                        change(tr("%1 came in").arg(qt(frame.file.filename().string())), [&](job::Edit& e) {
                            e.about(title_of(frame.setup).toStdString());
                            plan::Frame f = row;
                            const plan::Recognition r = plan::recognise(shoot(), f);
                            f.camera = r.camera;
                            f.lens = r.lens;
                            f.mode = r.mode;
                            f.setup = frame.setup;
                            if (frame.chart) f.kind = plan::FrameKind::chart;
                            f.reason = frame.chart ? "shot for this setup" : "the last chart shot before it";
                            const Id id = e.add(f);
                            if (frame.chart)
                                e.add(plan::ChartShot{.setup = frame.setup, .frame = id, .refused = frame.refused});
                        });
                    };
                });
        }
    });
}

std::vector<Id> Session::ids() const {
    std::vector<Id> all;
    for (const auto& [id, s] : states_) all.push_back(id);
    return all;
}

QString Session::title_of(Id setup) const {
    const auto at = states_.find(setup);
    return at == states_.end() ? QString() : at->second.title;
}

SetupState* Session::state(Id setup) {
    const auto at = states_.find(setup);
    return at == states_.end() ? nullptr : &at->second;
}

// Brings the setups up to what the job says, and tells the views what has changed.
void Session::follow() {
    const plan::Shoot& s = shoot();
    std::erase_if(states_, [&](const auto& entry) { return !plan::record(s.setups, entry.first); });
    for (auto& [id, state] : states_) state.frames.clear();
    std::string structure = s.brief().title + "|";
    for (const plan::Setup& row : s.setups) {
        states_[row.id].id = row.id;
        structure += formatted("%lld %lld %lld %lld %lld;", static_cast<long long>(row.id),
                               static_cast<long long>(row.camera), static_cast<long long>(row.lens),
                               static_cast<long long>(row.mode), static_cast<long long>(row.light));
    }
    for (const auto& c : s.cameras) structure += c.name + formatted("%d;", c.position);
    for (const auto& l : s.lights)
        structure += l.name + plan::name_in(s.places, l.place) + formatted("%d;", l.position);
    for (const auto& l : s.lenses) structure += l.name + ";";
    for (const auto& m : s.modes) structure += m.name + ";";
    for (const plan::Frame& f : s.frames)
        if (f.setup && !f.same_as && f.kind != plan::FrameKind::chart)
            if (SetupState* state = this->state(f.setup)) state->frames.push_back(f.id);
    if (structure != structure_)
        for (const plan::Setup& row : s.setups) states_[row.id].title = qt(plan::title_of(s, row));
    std::vector<Id> changed;
    const auto standings = plan::standings(s);
    for (std::size_t i = 0; i < s.setups.size(); ++i)
        if (follow_setup(states_[s.setups[i].id], s.setups[i], standings[i])) changed.push_back(s.setups[i].id);
    if (structure != structure_) {
        structure_ = structure;
        emit job_changed();
    }
    for (const Id id : changed) emit setup_changed(id);
    emit frames_changed();
    for (const Id id : changed) {
        SetupState* now = state(id);
        if (now && now->chart_shot && !now->shot && !now->busy && now->problem.isEmpty() && !now->failed_to_load)
            measure(id);
    }
}

bool Session::follow_setup(SetupState& s, const plan::Setup& row, const plan::Standing& standing) {
    const plan::Shoot& all = shoot();
    const plan::Evidence& e = standing.evidence;
    const plan::ChartShot* shot = e.shot ? e.shot : e.refused;
    const bool other_shot = (shot ? shot->id : 0) != s.chart_shot;
    s.row = row;
    s.chart_shot = shot ? shot->id : 0;
    s.chart_frame = e.frame ? *e.frame : plan::Frame{};
    s.findings.clear();
    for (const plan::Finding& f : all.findings)
        if (shot && f.chart_shot == shot->id) s.findings.push_back(f);
    s.gate = s.findings.empty() ? QString() : qt(s.findings.front().status);
    s.refused = e.refused ? qt(plan::refusal(all, *e.refused)) : QString();
    if (!s.failed_to_load || other_shot) s.problem = shot ? qt(shot->problem) : QString();
    s.settings = {shot ? shot->chart : "",
                  shot ? corners_from(shot->corners) : std::nullopt,
                  row.white,
                  std::nullopt,
                  fit::Intent::colorimetric,
                  row.reference};
    try {
        if (!row.model.empty()) s.settings.model = fit::model_named(row.model);
        if (!row.intent.empty()) s.settings.intent = fit::intent_named(row.intent);
        s.settings.weights = fit::weights_from(row.weights);
    } catch (const Error&) { // a newer Refero's model: chosen anew
    }
    s.settings.curves = row.curves;
    s.settings.others = prove::named_from(row.others);
    s.settings.average = row.average;
    s.settings.samples.clear();
    for (const QString& file : qt(row.samples).split('\n', Qt::SkipEmptyParts))
        s.settings.samples.push_back(file.toStdString());
    s.settings.finish = {row.stops, row.warmer_mired, row.greener, row.light_kept};
    s.settings.spots.clear();
    for (const QString& spot : qt(row.spots).split('\n', Qt::SkipEmptyParts))
        s.settings.spots.push_back(spot.toStdString());
    if (other_shot) {
        s.frame.reset();
        s.picture = {};
        s.small_picture = {};
        s.failed_to_load = false;
        s.busy = false;
    }
    std::string reading = e.reading && shot && e.reading->made_from == shot->chart + "|" + shot->corners
                              ? e.reading->content
                              : std::string();
    const bool other_reading = reading != s.reading_content;
    if (other_reading || other_shot) {
        s.reading_content = reading;
        s.shot.reset();
        if (!reading.empty()) try {
                s.shot =
                    std::make_shared<const job::MeasuredShot>(job::measured_from_json(reading, s.chart_frame.path));
            } catch (const Error& problem) { emit notice(QString::fromUtf8(problem.what())); }
    }
    // Another curve of the mode makes other light of the same codes.
    const plan::Mode* mode = plan::record(all.modes, row.mode);
    if (s.shot && mode && !mode->encoding.empty() && mode->encoding != "linear" &&
        !s.chart_frame.raw && s.shot->frame.encoding != mode->encoding) {
        reading.clear();
        s.reading_content.clear();
        s.shot.reset();
        s.frame.reset();
    }
    const std::string correction = e.correction ? e.correction->content : std::string();
    if (correction != s.correction_content) {
        s.correction_content = correction;
        s.correction.reset();
        s.small_picture = {};
        if (!correction.empty()) try {
                s.correction = std::make_shared<const fit::Correction>(fit::from_json(correction, job_file()));
            } catch (const Error& problem) { emit notice(QString::fromUtf8(problem.what())); }
    }
    s.correction_id = e.correction ? e.correction->id : 0;
    s.taken_from = e.correction ? e.correction->taken_from : 0;
    s.proved = e.proof != nullptr;
    s.proof_mean = e.proof ? e.proof->mean : 0;
    s.handovers.clear();
    for (const plan::Handover* h : e.handovers)
        s.handovers.push_back({h->file, qt(h->kind), qt(h->message), h->correction});
    s.stale = standing.stale;
    s.state = standing.state;
    const std::string weighed = reading + "|" + row.white + "|" + row.reference + "|" + row.intent +
                                (row.curves ? "|curves|" : "|") + correction + (row.balance_only ? "|b" : "|t") +
                                (s.taken_from ? "|taken" : "");
    if (weighed != s.weighed) {
        s.weighed = weighed;
        if (correction.empty()) s.correction.reset();
        weigh(s);
    }
    // The finish is the setup's: it may change long after the fit.
    if (s.correction && s.correction->finish != s.settings.finish) {
        auto finished = std::make_shared<fit::Correction>(*s.correction);
        finished->finish = s.settings.finish;
        s.correction = finished;
    }
    std::string stamp = plan::settings_of(row, shot) +
                        formatted("|%d|%d|%lld|%lld|%d|%zu|%zu|", row.balance_only, static_cast<int>(s.state),
                                  static_cast<long long>(s.chart_shot), static_cast<long long>(s.correction_id),
                                  s.proved, s.handovers.size(), s.frames.size()) +
                        s.refused.toStdString() + s.problem.toStdString();
    stamp +=
        (mode ? mode->encoding : "") + "|" + row.spots + "|" + row.others + "|" + balance::in_words(s.settings.finish);
    for (const auto& r : s.stale) stamp += r.why;
    for (const auto& h : s.handovers) stamp += h.file.string() + std::to_string(h.correction);
    if (stamp == s.stamp && !other_reading) return false;
    s.stamp = stamp;
    if (s.small_picture.isNull() && s.chart_shot) small_picture(row.id);
    return true;
}

namespace {
std::vector<plan::Frame> gone_of(const std::vector<plan::Frame>& frames) {
    std::vector<plan::Frame> gone;
    std::error_code ec;
    for (const plan::Frame& f : frames)
        if (!fs::exists(f.path, ec)) gone.push_back(f);
    return gone;
}
} // namespace

// Under the job's own folder first: a job moved together with its frames needs no question.
void Session::look_for_missing() {
    if (!shoot().frames.empty()) find_moved(fs::absolute(job_file()).parent_path());
}

void Session::find_moved(const fs::path& folder) {
    tasks_.run(
        tr("Looking for moved frames"),
        [this, frames = shoot().frames, folder](std::stop_token stop, const Progress&) -> Tasks::Then {
            const auto gone = gone_of(frames);
            const auto found = gone.empty() ? std::vector<job::Found>() : job::found_again(gone, folder, stop);
            return [this, found, gone] {
                if (!found.empty())
                    change(found.size() == 1 ? tr("1 moved frame found")
                                             : tr("%1 moved frames found").arg(found.size()),
                           [&](job::Edit& e) {
                               for (const job::Found& f : found)
                                   if (const plan::Frame* row = frame_row(f.frame)) {
                                       plan::Frame moved = *row;
                                       moved.path = f.file.string();
                                       e.update(moved);
                                   }
                           });
                missing_ = static_cast<int>(gone.size() - found.size());
                for (auto& [id, s] : states_) s.failed_to_load = false;
                if (missing_)
                    emit notice(
                        missing_ == 1
                            ? tr("1 frame is not where it was. Menu, Find moved frames: name the folder it is in now.")
                            : tr("%1 frames are not where they were. Menu, Find moved frames: name the folder they are "
                                 "in now.")
                                  .arg(missing_));
                emit frames_changed();
            };
        });
}

} // namespace refero::app
