#include "work/archive.hpp"

#include <fstream>
#include <map>
#include <memory>
#include <set>
#include <sstream>

#include <archive.h>
#include <archive_entry.h>
#include <nlohmann/json.hpp>

#include "frame/sequence.hpp"

namespace refero::work {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

// An archive beyond these is no job of ours; chosen by us.
constexpr std::size_t most_files = 100'000;
constexpr std::int64_t most_bytes = 2'000'000'000'000;
constexpr std::int64_t suspicious_ratio = 200; ///< unpacked over packed, of the whole
constexpr std::size_t block = 1 << 20;

using Reader = std::unique_ptr<::archive, decltype(&archive_read_free)>;
using Writer = std::unique_ptr<::archive, decltype(&archive_write_free)>;
using Entry = std::unique_ptr<archive_entry, decltype(&archive_entry_free)>;

struct File {
    fs::path from;
    std::string name, original; ///< in the archive; as the job calls it
};

void put(::archive* zip, const fs::path& from, const std::string& name, const fs::path& target) {
    const auto failed = [&](const char* why) {
        throw Error(ErrorKind::internal, std::string("the archive cannot be written: ") + (why ? why : ""), target,
                    "Check free space and permissions");
    };
    std::error_code ec;
    const Entry entry(archive_entry_new(), archive_entry_free);
    archive_entry_set_pathname(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), static_cast<la_int64_t>(fs::file_size(from, ec)));
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    if (archive_write_header(zip, entry.get()) != ARCHIVE_OK) failed(archive_error_string(zip));
    std::ifstream in(from, std::ios::binary);
    std::string bytes(block, '\0');
    while (in) {
        in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
        const auto n = in.gcount();
        if (n > 0 && archive_write_data(zip, bytes.data(), static_cast<std::size_t>(n)) != n)
            failed(archive_error_string(zip));
    }
    if (in.bad()) throw Error(ErrorKind::input, "the file cannot be read to its end", from, "Copy it again");
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

[[noreturn]] void refuse(const fs::path& zip, const std::string& why) {
    throw Error(ErrorKind::input, "this archive cannot be opened: " + why, zip, "Ask for it again, or copy it again");
}

/// A name that stays inside: below one of our folders, each part of it plain, or the manifest.
bool is_ours(const std::string& name) {
    if (name == "manifest.json") return true;
    std::vector<std::string> parts;
    std::istringstream in(name);
    for (std::string part; std::getline(in, part, '/');) parts.push_back(part);
    if (parts.size() < 2 || name.ends_with('/')) return false;
    if (parts[0] != "job" && parts[0] != "frames" && parts[0] != "handovers") return false;
    return std::none_of(parts.begin(), parts.end(), [](const std::string& p) {
        return p.empty() || p == "." || p == ".." || p.find('\\') != std::string::npos;
    });
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
        if (!is_ours(name)) refuse(zip, "it would write outside the folder, or is no job's archive: " + name);
        if (!seen.insert(name).second) refuse(zip, "it holds a file twice: " + name);
        if (seen.size() > most_files) refuse(zip, "it holds too many files");
        fs::create_directories((into / name).parent_path(), ec);
        std::ofstream out(into / name, std::ios::binary);
        std::string bytes(block, '\0');
        for (la_ssize_t n; (n = archive_read_data(in.get(), bytes.data(), bytes.size())) != 0;) {
            if (n < 0) refuse(zip, "it is damaged or cut short");
            total += n;
            if (total > most_bytes ||
                (total > (100 << 20) && total / std::max<std::int64_t>(1, packed) > suspicious_ratio))
                refuse(zip, "it grows beyond reason when it is opened");
            out.write(bytes.data(), n);
            if (!out)
                throw Error(ErrorKind::internal, "cannot be written", into / name, "Check free space and permissions");
        }
    }
    if (status != ARCHIVE_EOF) refuse(zip, "it is damaged or cut short");
}

} // namespace

Archived archive(const job::JobFile& job, const fs::path& zip, bool all_frames, Existing existing) {
    const plan::Shoot& shoot = job.content();
    Archived done;
    std::vector<File> files{{job.file(), "job/" + job.file().filename().string(), job.file().string()}};
    const auto add = [&](const char* folder, const std::string& path) {
        std::error_code ec;
        const std::string name = name_in_archive(folder, files.size(), path);
        if (fs::is_regular_file(path, ec)) files.push_back({path, name, path});
        else if (fs::is_directory(path, ec)) // a handover of several files
            for (const auto& entry : fs::recursive_directory_iterator(path, ec)) {
                const std::string inside = "/" + fs::relative(entry.path(), path, ec).generic_string();
                if (entry.is_regular_file(ec)) files.push_back({entry.path(), name + inside, path + inside});
            }
        else if (frame::is_sequence_name(path) && frame::is_there(path))
            for (const fs::path& picture : frame::sequence_named(path).files) {
                const std::string inside = "/" + picture.filename().string();
                files.push_back({picture, name + inside, path + inside});
            }
        else done.missing.push_back(path);
    };
    std::set<plan::Id> charts;
    for (const plan::ChartShot& s : shoot.chart_shots) charts.insert(s.frame);
    for (const plan::Frame& f : shoot.frames)
        if (all_frames || charts.contains(f.id)) add("frames", f.path);
    for (const plan::Handover& h : shoot.handovers) add("handovers", h.file);
    json manifest{{"refero_archive", 1}, {"program", program_version()}, {"job", files.front().name}};
    for (const File& f : files) {
        manifest["files"].push_back({{"name", f.name}, {"sha256", sha256_of(f.from)}, {"original", f.original}});
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
            for (const File& f : files) put(out.get(), f.from, f.name, zip);
            if (archive_write_close(out.get()) != ARCHIVE_OK)
                throw Error(ErrorKind::internal, "the archive cannot be written", zip,
                            "Check free space and permissions");
        },
        existing);
    return done;
}

Unpacked unpack(const fs::path& zip, const fs::path& folder, Existing existing) {
    std::error_code ec;
    if (!fs::is_regular_file(zip, ec)) throw Error(ErrorKind::input, "there is no such file", zip, "Check the name");
    fs::create_directories(folder, ec);
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::usage, "this folder cannot be made", folder, "Choose another");
    const fs::path part = folder / (".refero-unpack-" + new_uid());
    const struct Sweep { // nothing is left of what fails
        fs::path path;
        ~Sweep() {
            std::error_code ignored;
            fs::remove_all(path, ignored);
        }
    } sweep{part};
    fs::create_directories(part, ec);
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
    if (!job_name.starts_with("job/") || !is_ours(job_name)) refuse(zip, "it names no job");
    Unpacked u;
    u.job = folder / fs::path(job_name).filename();
    std::vector<std::pair<fs::path, fs::path>> moves; // the job last: it is there when all of it is
    for (const auto& [original, name] : name_of)
        if (name != job_name) moves.emplace_back(part / name, folder / name);
    moves.emplace_back(part / job_name, u.job);
    std::vector<fs::path> targets;
    for (const auto& [from, to] : moves) targets.push_back(to);
    check_outputs(targets, {zip}, existing == Existing::replace);
    { // paths of the other machine become those here, before the job has its name
        job::JobFile job(part / job_name, job::JobFile::Open::existing);
        plan::Change c("Opened from the archive " + zip.filename().string());
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
        for (plan::Frame f : job.content().frames)
            if (const auto path = here(f.path), inside = folder_here(f.path); path || inside) {
                f.path = path ? *path : (fs::path(*inside) / fs::path(f.path).filename()).string(); // a sequence
                c.update(f);
            }
        for (plan::Handover h : job.content().handovers)
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

} // namespace refero::work
