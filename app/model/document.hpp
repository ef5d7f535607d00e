// What is open: the job and the kit as files, their changes and their undo.
#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <memory>
#include <optional>

#include "model/text.hpp"
#include "store/document.hpp"

namespace refero::app {

namespace fs = std::filesystem;
using shoot::Id;

/// What a person should know, told in one place.
class Notices : public QObject {
    Q_OBJECT

public:
    void tell(const QString& message) { emit told(message); }
    /// Runs what may fail and tells why it did; false then.
    bool guarded(const std::function<void()>& work);

signals:
    void told(const QString& message);
};

/// The job that is open, or none. The file is the truth: every change is in it when it has been made.
class JobDocument : public QObject {
    Q_OBJECT

public:
    explicit JobDocument(Notices& notices);

    bool is_open() const { return job_ != nullptr; }
    /// It can be looked at, and changes are refused.
    bool for_viewing() const;
    const shoot::Shoot& shoot() const;
    fs::path file() const { return job_ ? job_->file() : fs::path(); }
    const shoot::FrameRecord* frame(Id id) const { return shoot::record(shoot().frames, id); }

    void create(const fs::path& file);
    void open(const fs::path& file);
    /// A job without a name of its own, in the user's data folder.
    void start_untitled();
    /// Writes the job under another name and goes on there.
    void save_as(const fs::path& file);
    void close();

    /// One transaction, one step of undo; without a job one is started. Nothing for an empty change or a failure, which
    /// is told; else what provisional ids became.
    /// `by_itself`: nobody asked for it now, and what was undone can still be redone. `cause`: the step() that a quiet
    /// change follows from.
    std::optional<store::Ids> change(const shoot::Change& change, bool by_itself = false, Id cause = 0);
    /// The last step that is done; work that begins now and is kept later belongs to it.
    Id step() const;
    void undo();
    void redo();
    QString undo_title() const;
    QString redo_title() const;
    std::vector<store::LogEntry> log(const QString& search, int most = 100000) const;
    void note(const QString& what, const QString& where = {});

signals:
    void ending();  ///< before closing: what is under way ends, and keeps in the job what it has done
    void closing(); ///< what is under way must end, and nothing of it may come into another job
    void opened();
    void changed(); ///< the content is another one
    void edited();  ///< by a change, not by undo or redo
    void history_changed();

private:
    void adopt(std::unique_ptr<store::JobFile> job);
    /// Looks whether the file is where it was: a renamed one is followed, one that is gone is saved elsewhere, each
    /// told.
    void heed();

    Notices& notices_;
    std::unique_ptr<store::JobFile> job_;
    QTimer heed_timer_;
};

/// The kit: opened when it is first asked for. Others may change it at the same time.
class KitDocument : public QObject {
    Q_OBJECT

public:
    explicit KitDocument(Notices& notices);

    /// By default the one in the user's data folder.
    void use(const fs::path& file);
    const fs::path& file() const { return file_; }
    const shoot::Kit& kit();
    store::KitFile* open_file();
    /// Takes in what another Refero has changed.
    void refresh();
    std::optional<store::Ids> change(const shoot::Change& change);
    void undo();
    void redo();
    QString undo_title() const;
    QString redo_title() const;

signals:
    void changed();

private:
    Notices& notices_;
    std::unique_ptr<store::KitFile> kit_;
    fs::path file_;
};

} // namespace refero::app
