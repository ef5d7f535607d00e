#include "model/document.hpp"

#include <QDateTime>

namespace refero::app {

namespace {

constexpr int heed_every_ms = 1000;

const shoot::Shoot& no_shoot() {
    static const shoot::Shoot none;
    return none;
}

} // namespace

bool Notices::guarded(const std::function<void()>& work) {
    try {
        work();
        return true;
    } catch (const std::exception& e) {
        tell(QString::fromUtf8(e.what()));
        return false;
    }
}

JobDocument::JobDocument(Notices& notices) : notices_(notices) {
    heed_timer_.setInterval(heed_every_ms);
    connect(&heed_timer_, &QTimer::timeout, this, &JobDocument::heed);
}

bool JobDocument::for_viewing() const { return job_ && job_->store().for_viewing(); }
const shoot::Shoot& JobDocument::shoot() const { return job_ ? job_->content() : no_shoot(); }

void JobDocument::adopt(std::unique_ptr<store::JobFile> job) {
    if (job_) close(); // else what is under way is on its way into this one
    job_ = std::move(job);
    heed_timer_.start();
    emit opened();
    emit changed();
    emit history_changed();
    if (for_viewing())
        notices_.tell(tr("%1 cannot be written: it is open for viewing. Menu, Save the job as: a copy can be changed.")
                          .arg(qt(file().string())));
}

void JobDocument::create(const fs::path& file) {
    notices_.guarded([&] { adopt(std::make_unique<store::JobFile>(file, store::JobFile::Open::create)); });
}

void JobDocument::open(const fs::path& file) {
    std::error_code ec;
    if (job_ && fs::equivalent(file, this->file(), ec)) return;
    notices_.guarded([&] { adopt(std::make_unique<store::JobFile>(file, store::JobFile::Open::existing)); });
}

void JobDocument::start_untitled() {
    notices_.guarded([&] {
        const fs::path folder = user_data_dir() / "jobs";
        std::error_code ec;
        fs::create_directories(folder, ec);
        if (!fs::is_directory(folder, ec))
            throw Error(ErrorKind::internal, "the folder for new jobs cannot be made", folder,
                        "Check its permissions, or make a job elsewhere: Menu, New job");
        const std::string day = QDateTime::currentDateTime().toString("yyyy-MM-dd").toStdString();
        fs::path file = folder / ("Untitled " + day + ".refero");
        for (int n = 2; fs::exists(file, ec); ++n)
            file = folder / ("Untitled " + day + " " + std::to_string(n) + ".refero");
        create(file);
    });
}

void JobDocument::save_as(const fs::path& file) {
    if (!job_ || same_file(file, this->file())) return;
    notices_.guarded([&] {
        job_->store().save_copy(file);
        adopt(std::make_unique<store::JobFile>(file, store::JobFile::Open::existing));
    });
}

void JobDocument::close() {
    if (job_) emit ending();
    emit closing();
    heed_timer_.stop();
    job_.reset();
}

void JobDocument::heed() {
    if (!job_) return;
    notices_.guarded([&] {
        const auto moved = job_->store().follow();
        if (!moved) return;
        notices_.tell(moved->was_gone ? tr("%1 was removed. Nothing is lost: the job is saved as %2 and goes on there.")
                                            .arg(qt(moved->from.string()), qt(moved->to.string()))
                                      : tr("The job was renamed: it goes on as %1.").arg(qt(moved->to.string())));
        emit history_changed();
    });
}

Id JobDocument::step() const { return job_ && !for_viewing() ? job_->store().current_step() : 0; }

std::optional<store::Ids> JobDocument::change(const shoot::Change& change, bool by_itself, Id cause) {
    if (change.empty()) return std::nullopt;
    std::optional<store::Ids> ids;
    if (!job_) start_untitled();
    if (!job_) return std::nullopt;
    if (!notices_.guarded([&] { ids = job_->change(change, by_itself, cause); })) return std::nullopt;
    heed();
    emit changed();
    emit edited();
    emit history_changed();
    return ids;
}

void JobDocument::undo() {
    if (job_) notices_.guarded([&] { job_->undo(); });
    emit changed();
    emit history_changed();
}

void JobDocument::redo() {
    if (job_) notices_.guarded([&] { job_->redo(); });
    emit changed();
    emit history_changed();
}

QString JobDocument::undo_title() const { return job_ && !for_viewing() ? qt(job_->undo_title()) : QString(); }
QString JobDocument::redo_title() const { return job_ && !for_viewing() ? qt(job_->redo_title()) : QString(); }

std::vector<store::LogEntry> JobDocument::log(const QString& search, int most) const {
    std::vector<store::LogEntry> all;
    if (job_) notices_.guarded([&] { all = job_->store().log(search.toStdString(), most); });
    return all;
}

void JobDocument::note(const QString& what, const QString& where) {
    if (job_) notices_.guarded([&] { job_->store().note(what.toStdString(), where.toStdString()); });
    emit history_changed();
}

KitDocument::KitDocument(Notices& notices) : notices_(notices), file_(user_data_dir() / "kit.refero-kit") {}

void KitDocument::use(const fs::path& file) {
    kit_.reset();
    file_ = file;
    emit changed();
}

store::KitFile* KitDocument::open_file() {
    if (!kit_)
        notices_.guarded([&] {
            std::error_code ec;
            fs::create_directories(file_.parent_path(), ec);
            kit_ = std::make_unique<store::KitFile>(file_, store::KitFile::Open::either);
        });
    return kit_.get();
}

const shoot::Kit& KitDocument::kit() {
    static const shoot::Kit none;
    return open_file() ? kit_->content() : none;
}

void KitDocument::refresh() {
    bool changed_elsewhere = false;
    if (open_file()) notices_.guarded([&] { changed_elsewhere = kit_->refresh(); });
    if (changed_elsewhere) emit changed();
}

std::optional<store::Ids> KitDocument::change(const shoot::Change& change) {
    if (change.empty() || !open_file()) return std::nullopt;
    std::optional<store::Ids> ids;
    if (notices_.guarded([&] { ids = kit_->change(change); })) emit changed();
    return ids;
}

void KitDocument::undo() {
    if (kit_) notices_.guarded([&] { kit_->undo(); });
    emit changed();
}

void KitDocument::redo() {
    if (kit_) notices_.guarded([&] { kit_->redo(); });
    emit changed();
}

QString KitDocument::undo_title() const { return kit_ ? qt(kit_->undo_title()) : QString(); }
QString KitDocument::redo_title() const { return kit_ ? qt(kit_->redo_title()) : QString(); }

} // namespace refero::app
