#include "session.hpp"

#include <QFileInfo>
#include <QUndoCommand>
#include <nlohmann/json.hpp>

namespace refero::app {

// Beside the window: the frame, the chart in it and its reading.
struct Loaded {
    std::shared_ptr<const frame::Frame> frame;
    std::shared_ptr<const job::MeasuredShot> shot;
    Rendition picture;
    QString problem;
};

namespace {

constexpr int small_width = 480;

QString qt(const std::string& s) { return QString::fromStdString(s); }
QString name_of_file(const fs::path& p) { return qt(p.filename().string()); }

std::shared_ptr<const job::MeasuredShot> measured(const frame::Frame& frame, const Settings& settings, const std::stop_token& stop) {
    auto shot = std::make_shared<job::MeasuredShot>();
    shot->frame = frame;
    if (settings.corners) {
        shot->definition = chart::find_definition(settings.chart);
        shot->placement = find::placement_from(shot->definition, *settings.corners, frame);
    } else {
        shot->placement = job::locate(frame, settings.chart, stop);
        shot->definition = chart::find_definition(shot->placement.chart);
    }
    shot->reading = read::measure(frame, shot->placement, shot->definition, stop);
    return shot;
}

void try_measuring(Loaded& l, const Settings& settings, const std::stop_token& stop) {
    try {
        l.shot = measured(*l.frame, settings, stop);
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::cancelled) throw;
        l.problem = qt(e.message()) + (e.remedy().empty() ? "." : ". " + qt(e.remedy()) + ".");
        l.problem[0] = l.problem[0].toUpper();
    }
}

Loaded load_shot(const fs::path& file, const Settings& settings, const std::stop_token& stop, const Progress& progress) {
    Loaded l;
    l.frame = std::make_shared<const frame::Frame>(frame::read(file, {}, stop));
    progress(0.4);
    try_measuring(l, settings, stop);
    progress(0.8);
    l.picture = rendition_of(apply::uncorrected(*l.frame, apply::viewing_gains(*l.frame), "srgb", stop), *l.frame);
    return l;
}

} // namespace

class ChangeSettings : public QUndoCommand {
public:
    ChangeSettings(Session& session, int setup, Settings after, const QString& what)
        : QUndoCommand(what), session_(session), setup_(setup), before_(session.at(setup).settings), after_(std::move(after)) {}
    void undo() override { session_.set(setup_, before_); }
    void redo() override { session_.set(setup_, after_); }

private:
    Session& session_;
    int setup_;
    Settings before_, after_;
};

Session::Session(QObject* parent) : QObject(parent) {
    connect(&tasks_, &Tasks::failed, this, &Session::notice);
}

Session::~Session() { tasks_.drain(); }

QString Session::title_of(int setup) const {
    const job::Setup& s = at(setup).setup;
    return qt(job_.cameras[s.camera].name) + ", " + qt(job_.lights[s.light].name);
}

void Session::open_demo(const fs::path& description, const fs::path& folder, const fs::path& cache) {
    tasks_.drain();
    undo_.clear();
    auto demo = job::load_demo(description, folder);
    job_ = std::move(demo.job);
    setups_.clear();
    for (const job::Setup& s : job_.setups) {
        setups_.emplace_back();
        setups_.back().setup = s;
        setups_.back().waiting = true;
    }
    emit job_changed();
    for (const job::DemoFrame& frame : demo.frames)
        tasks_.run(tr("Making the demo's frames"), [this, frame, cache](std::stop_token stop, const Progress&) -> Tasks::Then {
            job::make(frame, cache, stop);
            return [this, frame] {
                for (int i = 0; i < count(); ++i)
                    if (at(i).setup.chart_shot == frame.file) {
                        state(i).waiting = false;
                        load(i);
                    } else if (std::find(at(i).setup.frames.begin(), at(i).setup.frames.end(), frame.file) != at(i).setup.frames.end()) {
                        emit setup_changed(i); // its small picture can be shown now
                    }
            };
        });
}

void Session::load(int i) {
    state(i).busy = true;
    emit setup_changed(i);
    const fs::path file = at(i).setup.chart_shot;
    const Settings settings = at(i).settings;
    tasks_.run(tr("Reading %1").arg(name_of_file(file)), [this, i, file, settings](std::stop_token stop, const Progress& progress) -> Tasks::Then {
        const Loaded l = load_shot(file, settings, stop, progress);
        return [this, i, l] { adopt(i, l); };
    }, [this, i](const Error& e) {
        state(i).busy = false;
        state(i).problem = QString::fromUtf8(e.what());
        emit setup_changed(i);
        emit notice(QString::fromUtf8(e.what()));
    });
}

void Session::adopt(int i, const Loaded& l) {
    SetupState& s = state(i);
    s.busy = false;
    s.frame = l.frame;
    s.shot = l.shot;
    s.picture = l.picture;
    if (!s.correction) s.small_picture = l.picture.small(small_width);
    s.problem = l.problem;
    weigh(s);
    emit setup_changed(i);
}

void Session::measure(int i) {
    const auto frame = at(i).frame;
    if (!frame) return load(i);
    const Settings settings = at(i).settings;
    tasks_.run(tr("Measuring %1").arg(name_of_file(frame->file)), [this, i, frame, settings](std::stop_token stop, const Progress&) -> Tasks::Then {
        Loaded l{frame};
        try_measuring(l, settings, stop);
        return [this, i, l, settings] {
            SetupState& s = state(i);
            if (s.settings.corners != settings.corners) return; // moved on meanwhile
            s.shot = l.shot;
            s.problem = l.problem;
            weigh(s);
            emit setup_changed(i);
        };
    });
}

// Balance of a reading: quick enough for the window's thread.
void Session::weigh(SetupState& s) {
    s.balance.reset();
    s.light.reset();
    s.balance_problem.clear();
    if (!s.shot) return;
    try {
        const fs::path& wanted = s.settings.reference.empty() ? s.shot->definition.reference_file : s.settings.reference;
        if (!s.reference || s.reference->file != wanted)
            s.reference = std::make_shared<const chart::Reference>(s.settings.reference.empty() ? chart::reference_of(s.shot->definition) : chart::load_reference(wanted));
        const std::string white = s.settings.white.empty() ? balance::choose_white(s.shot->reading, *s.reference, &s.shot->definition) : s.settings.white;
        s.balance = balance::on_patch(s.shot->reading, *s.reference, white);
        if (s.shot->frame.camera_from_xyz) s.light = balance::light_of(*s.balance, *s.shot->frame.camera_from_xyz);
    } catch (const Error& e) {
        s.balance_problem = QString::fromUtf8(e.what());
    }
}

void Session::change(int i, const Settings& settings, const QString& what) {
    if (settings == at(i).settings) return;
    undo_.push(new ChangeSettings(*this, i, settings, what));
}

void Session::set(int i, const Settings& settings) {
    if (i >= count()) return;
    SetupState& s = state(i);
    const bool moved = s.settings.corners != settings.corners;
    s.settings = settings;
    if (moved) {
        // An undone move takes its correction's reading along, so that the correction is fresh again.
        if (s.fitted_from && settings == s.fitted_with) s.shot = s.fitted_from;
        else measure(i);
    }
    weigh(s);
    emit setup_changed(i);
}

void Session::fit(int i) {
    SetupState& s = state(i);
    if (!s.shot || !s.balance || s.fitting) return;
    s.fitting = true;
    emit setup_changed(i);
    const auto shot = s.shot;
    const auto reference = s.reference;
    const Settings settings = s.settings;
    const std::string light = job_.lights[s.setup.light].name;
    tasks_.run(tr("Fitting %1").arg(title_of(i)), [this, i, shot, reference, settings, light](std::stop_token stop, const Progress&) -> Tasks::Then {
        fit::Settings f{settings.model, settings.intent, settings.white};
        auto made = std::make_shared<fit::Correction>(job::correct({*shot}, *reference, f, stop));
        made->light_name = light;
        auto proof = std::make_shared<const prove::Proof>(prove::against(*made, shot->reading, *reference, false));
        const QImage small = rendition_of(apply::corrected(shot->frame, *made, "srgb", {}, stop), shot->frame).small(small_width);
        return [this, i, shot, settings, made, proof, small] {
            SetupState& s = state(i);
            s.fitting = false;
            s.correction = made;
            s.proof = proof;
            s.small_picture = small;
            s.fitted_with = settings;
            s.fitted_from = shot;
            emit setup_changed(i);
        };
    }, [this, i](const Error& e) {
        state(i).fitting = false;
        emit setup_changed(i);
        emit notice(QString::fromUtf8(e.what()));
    });
}

void Session::fit_all() {
    for (int i = 0; i < count(); ++i)
        if (!at(i).correction || at(i).correction_stale()) fit(i);
}

void Session::preview(int i, int index, std::function<void(Rendition, Rendition)> show) {
    const SetupState& s = at(i);
    const auto correction = s.correction;
    const auto chart_frame = index < 0 ? s.frame : nullptr;
    if (index >= static_cast<int>(s.setup.frames.size()) || (index < 0 && !chart_frame)) return show({}, {});
    const fs::path file = index < 0 ? s.setup.chart_shot : s.setup.frames[static_cast<std::size_t>(index)];
    const auto balance = correction ? std::optional(correction->balance) : s.balance;
    tasks_.run(tr("Developing %1").arg(name_of_file(file)), [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
        const frame::Frame loaded = chart_frame ? frame::Frame{} : frame::read(file, {}, stop);
        const frame::Frame& f = chart_frame ? *chart_frame : loaded;
        progress(0.4);
        const colour::Vec3 gains = balance ? colour::Vec3(balance->exposure * balance->gains) : apply::viewing_gains(f);
        const Rendition before = rendition_of(apply::uncorrected(f, gains, "srgb", stop), f);
        progress(0.7);
        const Rendition after = correction ? rendition_of(apply::corrected(f, *correction, "srgb", {}, stop), f) : Rendition{};
        return [show, before, after] { show(before, after); };
    });
}

void Session::thumbnails(int i, std::function<void(int, QImage)> show) {
    const auto& frames = at(i).setup.frames;
    const auto balance = at(i).balance;
    for (int k = 0; k < static_cast<int>(frames.size()); ++k) {
        const fs::path file = frames[static_cast<std::size_t>(k)];
        if (!fs::exists(file)) continue;
        tasks_.run(tr("Reading %1").arg(name_of_file(file)), [=](std::stop_token stop, const Progress&) -> Tasks::Then {
            const frame::Frame f = frame::read(file, {}, stop);
            const QImage image = rendition_of(apply::uncorrected(f, balance ? colour::Vec3(balance->exposure * balance->gains) : apply::viewing_gains(f), "srgb", stop), f).small(240);
            return [show, k, image] { show(k, image); };
        });
    }
}

void Session::exported(int i, const fs::path& file, const QString& kind, const QString& message, std::shared_ptr<const fit::Correction> from) {
    SetupState& s = state(i);
    std::erase_if(s.handovers, [&](const Handover& h) { return h.file == file; });
    s.handovers.push_back({file, kind, message, std::move(from)});
    emit setup_changed(i);
}

void Session::export_file(int i, deliver::Format format, const deliver::Options& options, const fs::path& file) {
    const auto correction = at(i).correction;
    if (!correction) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        const deliver::Written w = deliver::write(*correction, format, file, options);
        return [=, this] { exported(i, file, qt(fit::name_of(w.model)), qt(w.message), correction); };
    });
}

void Session::export_correction(int i, const fs::path& file) {
    const auto correction = at(i).correction;
    if (!correction) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        fit::save(*correction, file);
        return [=, this] { exported(i, file, qt(fit::name_of(correction->model)), tr("holds everything the correction was made from"), correction); };
    });
}

void Session::export_reading(int i, const fs::path& file) {
    const auto shot = at(i).shot;
    if (!shot) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)), [=, this](std::stop_token, const Progress&) -> Tasks::Then {
        read::save_cgats(shot->reading, file);
        return [=, this] { emit notice(tr("The reading is in %1").arg(qt(file.string()))); };
    });
}

void Session::export_frames(int i, apply::Format format, const std::string& space, const fs::path& folder) {
    const auto correction = at(i).correction;
    if (!correction) return;
    std::vector<fs::path> files = at(i).setup.frames;
    files.insert(files.begin(), at(i).setup.chart_shot);
    for (const fs::path& file : files)
        tasks_.run(tr("Correcting %1").arg(name_of_file(file)), [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            const fs::path target = folder / (file.stem().string() + apply::extension_of(format));
            if (fs::exists(target) && fs::equivalent(target, file)) throw Error(ErrorKind::usage, "this would replace the frame itself", target, "Choose another folder");
            const frame::Frame f = frame::read(file, {frame::Size::full, {}}, stop);
            progress(0.6);
            apply::write(apply::corrected(f, *correction, space, {}, stop), target, format, f.metadata);
            return [=, this] { exported(i, target, tr("frame"), qt(space) + tr(", full size"), correction); };
        });
}

int Session::add_setup(const std::string& camera, const std::string& lens, const std::string& light, const fs::path& chart_shot) {
    if (job_.title.empty()) job_.title = "Untitled job";
    auto& cameras = job_.cameras;
    auto c = std::find_if(cameras.begin(), cameras.end(), [&](const job::Camera& k) { return k.name == camera; });
    if (c == cameras.end()) c = cameras.insert(cameras.end(), {camera, lens, ""});
    auto& lights = job_.lights;
    const auto column = [&](const std::string& name) {
        auto l = std::find_if(lights.begin(), lights.end(), [&](const job::Light& k) { return k.name == name; });
        if (l == lights.end()) l = lights.insert(lights.end(), {name, ""});
        return static_cast<std::size_t>(l - lights.begin());
    };
    job::Setup s{static_cast<std::size_t>(c - cameras.begin()), 0, chart_shot, {}};
    std::string name = light;
    for (int n = 1; name.empty() || job_.setup_at(s.camera, column(name)) >= 0; ++n) name = light.empty() ? "Light " + std::to_string(n) : light + " " + std::to_string(n + 1);
    s.light = column(name);
    job_.setups.push_back(s);
    setups_.emplace_back();
    setups_.back().setup = s;
    emit job_changed();
    return count() - 1;
}

void Session::open(const std::vector<fs::path>& files, int current) {
    for (const fs::path& file : files) {
        const std::string extension = to_lower(file.extension().string());
        try {
            if (!fs::is_regular_file(file)) throw Error(ErrorKind::input, "there is no such file", file, "Check the name");
            if (extension == ".json") open_json(file);
            else if (extension == ".cgats" || extension == ".txt") open_reference(file, current);
            else if (frame::is_frame_name(file)) open_frame(file, current);
            else throw Error(ErrorKind::input, "Refero does not know this kind of file", file, "It opens frames (raw, TIFF, PNG, JPEG, EXR), corrections and chart definitions (JSON) and reference values (CGATS)");
        } catch (const Error& e) {
            emit notice(QString::fromUtf8(e.what()));
        }
    }
}

void Session::open_json(const fs::path& file) {
    const auto j = nlohmann::json::parse(read_file(file), nullptr, false);
    if (j.contains("refero_correction")) return open_correction(file);
    if (j.contains("refero_demo")) return open_demo(file, fs::absolute(file).parent_path() / "frames");
    const auto definition = chart::load_definition(file);
    const fs::path folder = user_data_dir() / "charts";
    fs::create_directories(folder);
    write_whole(folder / file.filename(), read_file(file));
    if (!definition.reference_file.empty()) write_whole(folder / definition.reference_file.filename(), read_file(definition.reference_file));
    emit notice(tr("The chart %1 is installed and will be looked for from now on").arg(qt(definition.id)));
}

void Session::open_correction(const fs::path& file) {
    const auto c = std::make_shared<const fit::Correction>(fit::load(file));
    const fs::path source = c->sources.empty() ? fs::path() : c->sources.front().file;
    int i = -1;
    for (int k = 0; k < count(); ++k)
        if (!source.empty() && at(k).setup.chart_shot == source) i = k;
    if (i < 0) {
        const auto metadata = c->sources.empty() ? frame::Metadata{} : c->sources.front().metadata;
        i = add_setup(metadata.model.empty() ? metadata.camera() : metadata.model, metadata.lens, c->light_name, source);
        if (fs::is_regular_file(source)) load(i);
        else state(i).problem = tr("The chart shot %1 is not where it was; the correction can still be used").arg(qt(source.string()));
    }
    SetupState& s = state(i);
    s.correction = c;
    s.proof = std::make_shared<const prove::Proof>(prove::against(*c, c->reading, c->reference, false));
    s.fitted_from.reset();
    s.handovers.clear();
    emit setup_changed(i);
    emit setup_opened(i);
}

void Session::open_reference(const fs::path& file, int current) {
    const auto reference = chart::load_reference(file);
    if (current < 0) throw Error(ErrorKind::usage, "reference values belong to a setup", file, "Open a setup first, then the file again");
    Settings s = at(current).settings;
    s.reference = file;
    change(current, s, tr("Reference values"));
    emit notice(tr("%1 holds %2 reference values; the correction is to be fitted again").arg(name_of_file(file)).arg(reference.xyz.size()));
}

// A frame with a chart is the chart shot of a new setup; one without is an ordinary frame of the open setup.
void Session::open_frame(const fs::path& file, int current) {
    tasks_.run(tr("Looking for a chart in %1").arg(name_of_file(file)), [this, file, current](std::stop_token stop, const Progress& progress) -> Tasks::Then {
        const Loaded l = load_shot(file, {}, stop, progress);
        return [this, file, current, l] {
            if (!l.shot && current >= 0 && current < count()) {
                state(current).setup.frames.push_back(file);
                job_.setups[static_cast<std::size_t>(current)].frames.push_back(file);
                emit setup_changed(current);
                emit notice(tr("%1 shows no chart: it is now an ordinary frame of %2").arg(name_of_file(file), title_of(current)));
                return;
            }
            const frame::Metadata& m = l.frame->metadata;
            const int i = add_setup(m.model.empty() ? m.camera() : m.model, m.lens, "", file);
            adopt(i, l);
            emit setup_opened(i);
        };
    });
}

} // namespace refero::app
