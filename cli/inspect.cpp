// refero-cli inspect: is a chart shot good enough; a folder of them, worst first.
#include "inspect/inspect.hpp"
#include "verb.hpp"

namespace refero::cli {

namespace {

namespace fs = std::filesystem;

Json judgement_json(const inspect::Judgement& j) {
    Json findings = Json::array();
    for (const inspect::Finding& f : j.findings)
        findings.push_back({{"check", inspect::name_of(f.check)},
                            {"status", inspect::name_of(f.status)},
                            {"value", f.value},
                            {"limit", f.limit},
                            {"unit", f.unit},
                            {"patches", f.patches},
                            {"advice", f.advice}});
    return {{"verdict", inspect::name_of(j.verdict)}, {"findings", findings}};
}

std::string words_of(const inspect::Judgement& j) {
    std::string words = inspect::name_of(j.verdict) + "\n";
    for (const inspect::Finding& f : j.findings) {
        if (!inspect::is_alarm(f.status)) continue;
        const std::string by = f.unit.empty() ? inspect::name_of(f.check)
                                              : formatted("{:<14} {:.3g} {} (limit {:.3g})", inspect::name_of(f.check),
                                                          f.value, f.unit, f.limit);
        words += formatted("  {:<8} {}\n           {}\n", inspect::name_of(f.status), by, f.advice);
    }
    return words;
}

struct Judged {
    inspect::Judgement judgement;
    bool found = true;
    std::shared_ptr<store::MeasuredShot> shot; ///< without its pixels
};

Judged judge(const fs::path& file, const operations::ShotOptions& options, const inspect::Limits& limits) {
    try {
        const auto shot = std::make_shared<store::MeasuredShot>(operations::take_shot(file, options));
        inspect::Judgement judgement = operations::judge(shot->frame, *shot, limits);
        shot->frame.rgb = {};
        shot->frame.clipped = {};
        return {std::move(judgement), true, shot};
    } catch (const find::NoChart& e) { return {inspect::no_chart(e.hidden()), false, {}}; }
}

/// The other frames of a folder by the same camera in the same mode are witnesses of each.
void hear_witnesses(std::vector<std::pair<fs::path, Judged>>& all) {
    for (auto& [file, judged] : all) {
        if (!judged.shot) continue;
        std::vector<shoot::FindingRecord> rows = operations::rows_of(judged.judgement);
        const std::vector<shoot::FindingRecord> before = rows;
        for (const auto& [name, other] : all)
            if (other.shot && other.shot != judged.shot && other.shot->frame.is_raw == judged.shot->frame.is_raw &&
                other.shot->frame.metadata.camera() == judged.shot->frame.metadata.camera())
                operations::hear_witness(rows, *judged.shot, *other.shot);
        if (rows == before) continue;
        judged.judgement.findings = operations::findings_from(rows);
        judged.judgement.verdict = inspect::Status::pass;
        for (const inspect::Finding& f : judged.judgement.findings)
            if (f.status != inspect::Status::unknown)
                judged.judgement.verdict = std::max(judged.judgement.verdict, f.status);
    }
}

// Every frame of a folder; one that cannot be read does not hide the others.
Result inspect_folder(const fs::path& folder, const operations::ShotOptions& options, const inspect::Limits& limits) {
    std::vector<std::pair<fs::path, Judged>> judged;
    std::vector<std::pair<fs::path, std::string>> errors;
    std::error_code ec;
    fs::directory_iterator entry(folder, ec);
    if (ec)
        throw Error(ErrorKind::input, "the folder cannot be read: " + ec.message(), folder, "Check its permissions");
    for (const fs::directory_iterator end; !ec && entry != end; entry.increment(ec)) {
        const fs::path& file = entry->path();
        std::error_code unreadable;
        if (!frame::is_frame_name(file) || file.filename().string().starts_with(".") ||
            fs::is_directory(file, unreadable))
            continue;
        try {
            judged.emplace_back(file, judge(file, options, limits));
        } catch (const Error& e) {
            if (e.kind() != ErrorKind::input) throw;
            errors.emplace_back(file, e.what());
        }
    }
    hear_witnesses(judged);
    std::vector<std::pair<fs::path, inspect::Judgement>> all;
    for (auto& [file, j] : judged) all.emplace_back(file, std::move(j.judgement));
    if (all.empty() && errors.empty())
        throw Error(ErrorKind::input, "there are no frames in this folder", folder,
                    "Name a folder of raw, TIFF, PNG, JPEG or EXR files, or clips");
    std::sort(errors.begin(), errors.end());
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
        const auto bad = [](const inspect::Judgement& j) {
            return std::count_if(j.findings.begin(), j.findings.end(),
                                 [&](const auto& f) { return f.status == j.verdict; });
        };
        if (a.second.verdict != b.second.verdict) return a.second.verdict > b.second.verdict;
        if (a.second.verdict != inspect::Status::pass && bad(a.second) != bad(b.second))
            return bad(a.second) > bad(b.second);
        return a.first < b.first;
    });
    Result r;
    r.json["frames"] = r.json["errors"] = Json::array();
    for (const auto& [file, j] : all) {
        Json one{{"file", file.string()}};
        one.update(judgement_json(j));
        r.json["frames"].push_back(one);
        r.words += file.filename().string() + ": " + words_of(j);
        if (j.verdict == inspect::Status::reshoot) r.status = reshoot;
    }
    for (const auto& [file, message] : errors) {
        r.json["errors"].push_back({{"file", file.string()}, {"message", message}});
        r.words += message + "\n";
        if (r.status == done) r.status = input;
    }
    return r;
}

} // namespace

Run add_inspect(CLI::App& app) {
    auto shot = std::make_shared<ShotArguments>();
    auto image = std::make_shared<std::string>(), limits_file = std::make_shared<std::string>();
    auto fill = std::make_shared<bool>(false), strict = std::make_shared<bool>(false);
    app.add_option("image", *image, "A frame, or a folder of frames")->required();
    shot->add_chart(app);
    shot->add_at(app);
    shot->add_corners(app);
    shot->add_encoding(app);
    app.add_flag("--fill", *fill, "School: the chart fills the frame (else about a tenth of it)");
    app.add_flag("--strict-turn", *strict, "School: a turned chart is refused (else a slight turn is fine)");
    app.add_option("--limits", *limits_file, "Own limits, JSON: {\"tilt\": {\"caution\": 10, \"reshoot\": 20}}");
    return [=] {
        inspect::Limits limits = inspect::limits_for({*fill, *strict});
        if (!limits_file->empty()) inspect::change_limits(limits, read_file(*limits_file, 1 << 20), *limits_file);
        const operations::ShotOptions options = shot->options();
        if (!options.chart.empty())
            chart::find_definition(options.chart); // an unknown one is wrong usage, whatever the frame
        std::error_code ec;
        if (fs::is_directory(*image, ec)) return inspect_folder(*image, options, limits);
        const Judged j = judge(*image, options, limits);
        Result r;
        r.json = judgement_json(j.judgement);
        r.words = words_of(j.judgement);
        r.status = !j.found ? not_found : j.judgement.verdict == inspect::Status::reshoot ? reshoot : done;
        return r;
    };
}

} // namespace refero::cli
