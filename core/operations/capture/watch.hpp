// Frames on their way into a job: watched folders, what a file says of itself, files that were moved.
#pragma once

#include <map>
#include <set>
#include <stop_token>

#include "base/base.hpp"
#include "shoot/records.hpp"

namespace refero::operations {

/// A file's size and time of change: other ones mean that it is to be looked at again.
struct FileStamp {
    std::int64_t size = -1, changed_ns = 0;
    bool operator==(const FileStamp&) const = default;
};
FileStamp stamp_of(const std::filesystem::path& file);

/// Finds new frames in folders and everything below them once they are complete: their size and time of change have
/// not moved between two looks, and no other program writes them; numbered EXR and DPX files of one name once none of
/// them has for some looks. Hidden files and folders are passed over. Call look() every half second or so.
class FolderWatch {
public:
    void set_folders(const std::vector<std::filesystem::path>& folders);
    const std::vector<std::filesystem::path>& folders() const { return folders_; }
    /// Files that are in the job already, or that Refero wrote, are not new.
    void known(const std::filesystem::path& file);
    void forget(const std::filesystem::path& file);
    /// A file, in these folders or not, that could not be read when it was as `as` says: it is found again when it
    /// changes, or, where it is `arriving`, once nobody writes it any more.
    void await(const std::filesystem::path& file, const FileStamp& as, bool arriving);
    bool waits() const { return !awaited_.empty(); }
    /// A person named this file or a folder that holds it, on this machine.
    bool in_folders(const std::filesystem::path& file) const;
    /// Or part of a sequence that is.
    bool is_known(const std::filesystem::path& file) const;
    /// Takes over what a copy has seen.
    void remember(const FolderWatch& copy);
    /// In the order of their names, sequences by theirs. Folders that cannot be read are passed over: a card may be
    /// out.
    std::vector<std::filesystem::path> look();

private:
    struct Seen {
        FileStamp stamp;
        int still = 0; ///< looks in which it did not change
    };
    struct Awaited {
        FileStamp failed; ///< as it was when it could not be read
        bool arriving = false;
        Seen seen = {};
    };
    std::vector<std::filesystem::path> look_at_awaited();
    std::vector<std::filesystem::path> folders_;
    std::set<std::string> known_, known_sequences_;
    std::map<std::string, Seen> seen_;
    std::map<std::string, Awaited> awaited_;
};

/// Files for frames that are not where they were: in `folder` and below, of the same name, size and hash.
struct Found {
    shoot::Id frame;
    std::filesystem::path file;
};
std::vector<Found> found_again(const std::vector<shoot::FrameRecord>& missing, const std::filesystem::path& folder,
                               std::stop_token stop = {});

} // namespace refero::operations
