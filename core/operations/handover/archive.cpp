#include "operations/handover/archive.hpp"

#include <cstring>
#include <fstream>
#include <map>
#include <memory>
#include <set>
#include <sstream>

#include <archive.h>
#include <archive_entry.h>
#include <nlohmann/json.hpp>

#include "frame/sequence.hpp"
#include "operations/capture/files.hpp"

namespace refero::operations {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

// An archive beyond these is no job of ours; chosen by us.
constexpr std::size_t most_files = 100'000;
constexpr std::int64_t most_bytes = 2'000'000'000'000;
constexpr std::int64_t suspicious_ratio = 200; ///< unpacked over packed, of the whole
constexpr std::size_t block = 1 << 20;

constexpr const char* side_files[] = {"-journal", "-wal", "-shm"}; ///< of SQLite, beside a database

using Reader = std::unique_ptr<::archive, decltype(&archive_read_free)>;
using Writer = std::unique_ptr<::archive, decltype(&archive_write_free)>;
using Entry = std::unique_ptr<archive_entry, decltype(&archive_entry_free)>;

struct File {
    fs::path from;
    std::string name, original; ///< in the archive; as the job calls it
    std::string sha256;         ///< empty: not known yet
};
constexpr std::size_t longest_name = 255; ///< bytes of a part of a path, as Linux has them (NAME_MAX)

void put(::archive* zip, const File& file, const fs::path& target) {
    const auto failed = [&](const char* why) {
        throw Error(ErrorKind::internal, std::string("the archive cannot be written: ") + (why ? why : ""), target,
                    "Check free space and permissions");
    };
    std::error_code ec;
    const Entry entry(archive_entry_new(), archive_entry_free);
    archive_entry_set_pathname(entry.get(), file.name.c_str());
    const auto size = static_cast<la_int64_t>(fs::file_size(file.from, ec));
    archive_entry_set_size(entry.get(), size);
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    if (archive_write_header(zip, entry.get()) != ARCHIVE_OK) failed(archive_error_string(zip));
    std::ifstream in(file.from, std::ios::binary);
    std::string bytes(block, '\0');
    Sha256 hash;
    while (in) {
        in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
        const auto n = in.gcount();
        hash.add({bytes.data(), static_cast<std::size_t>(n)});
        if (n > 0 && archive_write_data(zip, bytes.data(), static_cast<std::size_t>(n)) != n)
            failed(archive_error_string(zip));
    }
    if (in.bad()) throw Error(ErrorKind::input, "the file cannot be read to its end", file.from, "Copy it again");
    if (hash.end() != file.sha256)
        throw Error(ErrorKind::input, "this file changed while it was packed", file.from,
                    "Wait until nothing writes it, then archive again");
}

void put_text(::archive* zip, const std::string& text, const std::string& name, const fs::path& target) {
    const Entry entry(archive_entry_new(), archive_entry_free);
    archive_entry_set_pathname(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), static_cast<la_int64_t>(text.size()));
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    if (archive_write_header(zip, entry.get()) != ARCHIVE_OK ||
        archive_write_data(zip, text.data(), text.size()) != static_cast<la_ssize_t>(text.size()))
        throw Error(ErrorKind::internal, "the archive cannot be written", target, "Check free space and permissions");
}

/// "frames/0001-NAME": told apart by numbers, whatever the names.
std::string name_in_archive(const char* folder, std::size_t number, const fs::path& file) {
    std::string name = file.filename().string();
    for (char& c : name)
        if (c == '/' || c == '\\' || static_cast<unsigned char>(c) < 0x20) c = '_';
    return formatted("{}/{:04}-{}", folder, number, name);
}

[[noreturn]] void cannot_be_written(const fs::path& file, int error) {
    throw Error(ErrorKind::internal,
                std::string("cannot be written: ") + (error ? std::strerror(error) : "not all of it arrived"), file,
                error == ENAMETOOLONG ? "Its path is too long here: open the archive in a folder with a shorter path"
                                      : "Check free space and permissions");
}

[[noreturn]] void refuse(const fs::path& zip, const std::string& why) {
    throw Error(ErrorKind::input, "this archive cannot be opened: " + why, zip, "Ask for it again, or copy it again");
}

/// The folders that an archive has: a job of such a name would lie where they go.
bool is_folder_of_ours(const std::string& name) { return name == "job" || name == "frames" || name == "handovers"; }

/// A name that stays inside: below one of our folders, each part of it plain, or the manifest.
bool is_ours(const std::string& name) {
    if (name == "manifest.json") return true;
    std::vector<std::string> parts;
    std::istringstream in(name);
    for (std::string part; std::getline(in, part, '/');) parts.push_back(part);
    if (parts.size() < 2 || name.ends_with('/') || !is_folder_of_ours(parts[0])) return false;
    return std::none_of(parts.begin(), parts.end(), [](const std::string& p) {
        return p.empty() || p == "." || p == ".." || p.size() > longest_name ||
               std::any_of(p.begin(), p.end(),
                           [](char c) { return c == '\\' || static_cast<unsigned char>(c) < 0x20; });
    });
}

/// The name of a job in an archive: one plain file, that neither a folder of ours nor SQLite's side files would spoil.
bool is_job_name(const std::string& name) {
    const std::string file = name.substr(std::min(name.size(), name.find('/') + 1));
    return name.starts_with("job/") && is_ours(name) && file.find('/') == std::string::npos && !file.starts_with('.') &&
           !is_folder_of_ours(file) && file != "manifest.json" &&
           std::none_of(std::begin(side_files), std::end(side_files),
                        [&](const char* suffix) { return file.ends_with(suffix); });
}

/// All entries into an empty folder. Throws what is wrong with them.
void extract(const fs::path& zip, const fs::path& into) {
    const Reader in(archive_read_new(), archive_read_free);
    archive_read_support_format_zip(in.get());
    if (archive_read_open_filename(in.get(), zip.c_str(), block) != ARCHIVE_OK) refuse(zip, "it is no zip file");
    std::error_code ec;
    const auto packed = static_cast<std::int64_t>(fs::file_size(zip, ec));
    std::set<std::string> seen;
    std::int64_t total = 0;
    archive_entry* entry = nullptr;
    int status = 0;
    while ((status = archive_read_next_header(in.get(), &entry)) == ARCHIVE_OK) {
        const char* raw = archive_entry_pathname(entry);
        const std::string name = raw ? raw : "";
        if (archive_entry_filetype(entry) == AE_IFDIR) continue;
        if (archive_entry_filetype(entry) != AE_IFREG || archive_entry_symlink(entry) || archive_entry_hardlink(entry))
            refuse(zip, "it holds a link or a device: " + name);
        const bool is_job = name.starts_with("job/");
        if (std::any_of(name.begin(), name.end(), [run = std::size_t{0}](char c) mutable {
                return (run = c == '/' ? 0 : run + 1) > longest_name;
            }))
            refuse(zip, "it holds a name that is too long for a file: " + name.substr(0, 60) + "...");
        if (!is_ours(name)) refuse(zip, "it would write outside the folder, or is no job's archive: " + name);
        if (is_job && (!is_job_name(name) || std::any_of(seen.begin(), seen.end(), [](const std::string& other) {
                return other.starts_with("job/");
            })))
            refuse(zip, "it is no job's archive: " + name + " would lie beside the job, or take a folder's place");
        if (!seen.insert(name).second) refuse(zip, "it holds a file twice: " + name);
        if (seen.size() > most_files) refuse(zip, "it holds too many files");
        fs::create_directories((into / name).parent_path(), ec);
        errno = 0;
        std::ofstream out(into / name, std::ios::binary);
        if (!out) cannot_be_written(into / name, errno);
        std::string bytes(block, '\0');
        for (la_ssize_t n; (n = archive_read_data(in.get(), bytes.data(), bytes.size())) != 0;) {
            if (n < 0) refuse(zip, "it is damaged or cut short");
            total += n;
            if (total > most_bytes ||
                (total > (100 << 20) && total / std::max<std::int64_t>(1, packed) > suspicious_ratio))
                refuse(zip, "it grows beyond reason when it is opened");
            out.write(bytes.data(), n);
            if (!out) cannot_be_written(into / name, errno);
        }
    }
    if (status != ARCHIVE_EOF) refuse(zip, "it is damaged or cut short");
}

} // namespace

namespace {

/// What goes into an archive, and what does not.
class Packing {
public:
    Packing(const store::JobFile& job, const ArchiveOptions& options) : options_(options) {
        std::string name = job.file().filename().string();
        if (!name.ends_with(".refero")) name += ".refero"; // it may be called as one of our folders
        files.push_back({job.file(), "job/" + name, job.file().string(), {}});
    }

    void add(const shoot::FrameRecord& f) {
        const FileState state = state_of(f, true);
        if (state == FileState::gone) return done.missing.push_back(f.path);
        if (state != FileState::same && !outside(f.path, state)) return;
        const std::string name = name_in_archive("frames", files.size(), f.path);
        if (!frame::is_sequence_name(f.path))
            return put(f.path, name, f.path, state == FileState::same ? f.sha256 : "");
        for (const fs::path& picture : frame::sequence_named(f.path).files) {
            const std::string inside = "/" + picture.filename().string();
            put(picture, name + inside, f.path + inside, {});
        }
    }

    void add(const shoot::HandoverRecord& h, const std::vector<const shoot::HandoverFileRecord*>& list) {
        const std::string name = name_in_archive("handovers", files.size(), h.file);
        std::error_code ec;
        if (list.empty()) {
            if (!fs::exists(h.file, ec) && !ec) return done.missing.push_back(h.file);
            if (outside(h.file, FileState::unknown)) add_all(h.file, name);
            return;
        }
        for (const shoot::HandoverFileRecord* file : list) {
            const std::string below = file->name.empty() ? "" : "/" + file->name;
            const std::string path = h.file + below;
            const FileState state = state_of(*file, path);
            if (!is_ours(name + below)) done.outside.push_back({path, "its name leads out of the folder"});
            else if (state == FileState::gone) done.missing.push_back(path);
            else if (state == FileState::same || outside(path, state))
                put(path, name + below, path, state == FileState::same ? file->sha256 : "");
        }
    }

    Archived done;
    std::vector<File> files; ///< the job first

private:
    /// True if it is packed all the same.
    bool outside(const std::string& path, FileState state) {
        done.outside.push_back({path, state == FileState::unknown
                                          ? "the job names it, and nobody has taken it in here"
                                          : "it was cut or replaced since it came into the job"});
        return options_.outside;
    }

    void put(const fs::path& from, const std::string& name, const std::string& original, const std::string& sha256) {
        try {
            files.push_back({from, name, original, sha256.empty() ? sha256_of(from) : sha256});
        } catch (const Error& e) { done.unreadable.push_back({from.string(), e.message()}); }
    }

    /// A file, or a folder as far as it can be read.
    void add_all(const fs::path& path, const std::string& name) {
        std::error_code ec;
        if (fs::is_regular_file(path, ec)) return put(path, name, path.string(), {});
        fs::directory_iterator all(path, ec);
        if (ec) return done.unreadable.push_back({path.string(), ec.message()});
        std::vector<fs::directory_entry> entries(all, {});
        std::sort(entries.begin(), entries.end());
        for (const fs::directory_entry& entry : entries) {
            const std::string inside = name + "/" + entry.path().filename().string();
            if (entry.is_symlink(ec) || !is_ours(inside))
                done.unreadable.push_back({entry.path().string(), "a link, or a name that an archive does not take"});
            else if (entry.is_directory(ec) || entry.is_regular_file(ec)) add_all(entry.path(), inside);
        }
    }

    const ArchiveOptions& options_;
};

} // namespace

Archived archive(const store::JobFile& job, const fs::path& zip, const ArchiveOptions& options) {
    const shoot::Shoot& shoot = job.content();
    Packing packing(job, options);
    std::set<shoot::Id> charts;
    for (const shoot::ChartShotRecord& s : shoot.chart_shots) charts.insert(s.frame);
    for (const shoot::FrameRecord& f : shoot.frames)
        if (options.all_frames || charts.contains(f.id)) packing.add(f);
    std::map<shoot::Id, std::vector<const shoot::HandoverFileRecord*>> lists;
    for (const shoot::HandoverFileRecord& f : shoot.handover_files) lists[f.handover].push_back(&f);
    for (const shoot::HandoverRecord& h : shoot.handovers) packing.add(h, lists[h.id]);
    std::vector<File>& files = packing.files;
    // A copy of the job as it is now: it may be written to while it is packed.
    const TemporaryFolder copy(zip.has_parent_path() ? zip.parent_path() : fs::path("."), "refero-archive");
    files.front().from = copy.path() / "job";
    try {
        job.store().save_copy(files.front().from);
    } catch (const Error&) { // which names a file that nobody knows
        throw Error(ErrorKind::internal, "the archive cannot be written: no room for a copy of the job", zip,
                    "Check free space and permissions");
    }
    files.front().sha256 = sha256_of(files.front().from);
    Archived done = std::move(packing.done);
    json manifest{{"refero_archive", 1}, {"program", program_version()}, {"job", files.front().name}};
    for (const File& f : files) {
        manifest["files"].push_back({{"name", f.name}, {"sha256", f.sha256}, {"original", f.original}});
        done.files.push_back(f.name);
    }
    write_whole(
        zip,
        [&](const fs::path& part) {
            const Writer out(archive_write_new(), archive_write_free);
            archive_write_set_format_zip(out.get());
            if (archive_write_open_filename(out.get(), part.c_str()) != ARCHIVE_OK)
                throw Error(ErrorKind::internal, "the archive cannot be written", zip,
                            "Check free space and permissions");
            put_text(out.get(), manifest.dump(1, ' ', false, json::error_handler_t::replace) + "\n", "manifest.json",
                     zip);
            for (const File& f : files) put(out.get(), f, zip);
            if (archive_write_close(out.get()) != ARCHIVE_OK)
                throw Error(ErrorKind::internal, "the archive cannot be written", zip,
                            "Check free space and permissions");
        },
        options.existing);
    return done;
}

Unpacked unpack(const fs::path& zip, const fs::path& folder, Existing existing) {
    std::error_code ec;
    if (!fs::is_regular_file(zip, ec)) throw Error(ErrorKind::input, "there is no such file", zip, "Check the name");
    fs::create_directories(folder, ec);
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "this folder cannot be made", folder, "Choose another");
    const TemporaryFolder temporary(folder, "refero-unpack"); // nothing is left of what fails
    const fs::path& part = temporary.path();
    extract(zip, part);
    json manifest;
    std::string job_name;
    std::map<std::string, std::string> name_of; ///< by the path that the job knows
    try {
        manifest = json::parse(read_file(part / "manifest.json", 64 << 20));
        if (manifest.at("refero_archive") != 1) refuse(zip, "it is of another version");
        job_name = manifest.at("job");
        for (const json& f : manifest.at("files")) {
            const std::string name = f.at("name");
            if (!is_ours(name) || !fs::is_regular_file(part / name, ec)) refuse(zip, "a file is missing: " + name);
            if (sha256_of(part / name) != f.at("sha256").get<std::string>()) refuse(zip, "a file is damaged: " + name);
            name_of[f.at("original")] = name;
        }
    } catch (const json::exception&) { refuse(zip, "its manifest is damaged"); } catch (const Error& e) {
        if (e.kind() == ErrorKind::input && !fs::exists(part / "manifest.json", ec)) refuse(zip, "it has no manifest");
        throw;
    }
    if (!is_job_name(job_name)) refuse(zip, "it names no job");
    Unpacked u;
    u.job = folder / fs::path(job_name).filename();
    std::vector<std::pair<fs::path, fs::path>> moves; // the job last: it is there when all of it is
    for (const auto& [original, name] : name_of)
        if (name != job_name) moves.emplace_back(part / name, folder / name);
    moves.emplace_back(part / job_name, u.job);
    std::vector<fs::path> targets;
    for (const auto& [from, to] : moves) targets.push_back(to);
    check_outputs(targets, {zip}, existing == Existing::replace);
    for (const char* suffix : side_files)
        if (const fs::path side = u.job.string() + suffix; fs::exists(side, ec))
            throw Error(ErrorKind::usage, "an unfinished change of another file lies here, which would spoil the job",
                        side, "Move it away, or open the archive in another folder");
    { // paths of the other machine become those here, before the job has its name
        store::JobFile job(part / job_name, store::JobFile::Open::existing);
        shoot::Change c("Opened from the archive " + zip.filename().string());
        const auto here = [&](const std::string& original) -> std::optional<std::string> {
            const auto at = name_of.find(original);
            if (at == name_of.end()) return std::nullopt;
            return fs::absolute(folder / at->second).lexically_normal().string();
        };
        const auto folder_here = [&](const std::string& original) -> std::optional<std::string> {
            const auto at = name_of.lower_bound(original + "/"); // the first file in it
            if (at == name_of.end() || !at->first.starts_with(original + "/")) return std::nullopt;
            const std::string name = at->second.substr(0, at->second.find('/', at->second.find('/') + 1));
            return fs::absolute(folder / name).lexically_normal().string();
        };
        for (shoot::FrameRecord f : job.content().frames)
            if (const auto path = here(f.path), inside = folder_here(f.path); path || inside) {
                f.path = path ? *path : (fs::path(*inside) / fs::path(f.path).filename()).string(); // a sequence
                c.update(f);
            }
        for (shoot::HandoverRecord h : job.content().handovers)
            if (const auto path = here(h.file), inside = folder_here(h.file); path || inside) {
                h.file = path ? *path : *inside;
                c.update(h);
            }
        if (!c.empty()) job.change(c);
    }
    for (const auto& [from, to] : moves) {
        fs::create_directories(to.parent_path(), ec);
        fs::rename(from, to, ec);
        if (ec) {
            const std::string why = ec.message();
            for (const fs::path& file : u.files)
                if (existing == Existing::refuse) fs::remove(file, ec); // none of them was there before
            throw Error(ErrorKind::internal, "cannot be written: " + why, to, "Check its folder");
        }
        u.files.push_back(to);
    }
    return u;
}

} // namespace refero::operations
