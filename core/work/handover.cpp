#include "work/handover.hpp"

#include <map>

namespace refero::work {

namespace fs = std::filesystem;
using plan::Change;

void guard_outputs(const plan::Shoot& shoot, const fs::path& job_file, const std::vector<fs::path>& outputs) {
    std::vector<fs::path> kept{job_file};
    for (const plan::Frame& f : shoot.frames) kept.emplace_back(f.path);
    for (const plan::Setup& s : shoot.setups) {
        const plan::SetupSettings settings = plan::settings_of(s, nullptr);
        kept.push_back(settings.reference);
        kept.insert(kept.end(), settings.samples.begin(), settings.samples.end());
        for (const prove::Named& other : settings.others) kept.push_back(other.file);
    }
    for (const plan::Mode& m : shoot.modes)
        if (m.encoding.find('/') != std::string::npos) kept.emplace_back(m.encoding);
    check_outputs(outputs, kept, true);
}

std::vector<fs::path> existing(const std::vector<fs::path>& outputs) {
    std::vector<fs::path> there;
    std::error_code ec;
    for (const fs::path& file : outputs)
        if (fs::exists(fs::symlink_status(file, ec))) there.push_back(file);
    return there;
}

HandedOver write_file(const fit::Correction& correction, const std::string& format, const deliver::Options& options,
                      const fs::path& file) {
    const deliver::Written w = deliver::write(correction, format, file, options);
    return {file, fit::name_of(w.model), w.message};
}

HandedOver write_trimmed(const Chain& chain, const prove::Named& other, const fs::path& file) {
    if (!chain.shot || !chain.reference || !chain.balance)
        throw Error(ErrorKind::usage, "there is no reading to trim it on", {}, "Read a chart shot first");
    const prove::Elsewhere e = prove::open_elsewhere(other.file, other.usage, *chain.balance);
    const fit::Correction trim =
        prove::trim_of(e.rendering, chain.shot->reading, *chain.reference, &chain.shot->definition);
    deliver::Options options;
    options.input_encoding = other.usage.input_encoding;
    options.space = other.usage.space;
    options.name = other.file.stem().string() + ", trimmed";
    const std::string name = other.file.filename().string();
    deliver::write_cube(prove::trimmed(e.own, trim), "Trimmed to a chart shot: " + name, file, options);
    return {file, "trimmed LUT",
            formatted("{} with a small correction after it: CIEDE2000 {:.2f} on patches left out", name,
                      trim.cross_validated.mean)};
}

std::vector<Development> developments(const plan::Shoot& shoot, const Chain& chain, apply::Format format,
                                      const fs::path& folder) {
    std::vector<const plan::Frame*> frames;
    if (chain.chart_frame.id) frames.push_back(&chain.chart_frame);
    for (const plan::Id id : chain.frames)
        if (const plan::Frame* row = plan::record(shoot.frames, id); row && row->problem.empty()) frames.push_back(row);
    std::map<std::string, int> seen;
    std::vector<Development> all;
    for (const plan::Frame* f : frames) {
        const std::string stem = fs::path(f->path).stem().string();
        const int n = ++seen[to_lower(stem)];
        all.push_back({source_of(shoot, *f, chain.row.mode),
                       folder / (stem + (n > 1 ? "-" + std::to_string(n) : "") + apply::extension_of(format))});
    }
    return all;
}

Developed develop(const Development& d, const fit::Correction& correction, const SecondLight& second,
                  apply::Format format, const std::string& space, Existing existing, const Progress& progress,
                  std::stop_token stop) {
    const frame::Frame f = read(d.source, frame::Size::full, {}, stop);
    if (progress) progress(0.6);
    fit::Correction its = correction;
    if (second.correction)
        its = second.kelvin > 0 ? fit::between(correction, *second.correction, colour::Temperature{second.kelvin, 0})
                                : fit::between(correction, *second.correction, f);
    apply::write(apply::corrected(f, its, space, {}, stop), d.target, format, f.metadata, existing);
    if (progress) progress(1);
    Developed done;
    done.file = d.target;
    done.kind = "frame";
    done.message = space + ", full size";
    done.differences = fit::differences(correction, f.metadata);
    if (second.correction) {
        done.between = its.choice;
        done.kelvin = its.light->kelvin;
        done.message += ": " + its.choice;
    }
    return done;
}

Change keep(const plan::Shoot& shoot, const Chain& chain, const HandedOver& handed) {
    const fs::path whole = fs::absolute(handed.file).lexically_normal();
    Change c("Hand over " + whole.filename().string(), chain.title);
    for (const plan::Handover& h : shoot.handovers)
        if (h.setup == chain.id && h.file == whole.string()) c.remove<plan::Handover>(h.id);
    c.add(plan::Handover{.setup = chain.id,
                         .correction = chain.balance_only() ? 0 : chain.correction_id,
                         .file = whole.string(),
                         .kind = handed.kind,
                         .message = handed.message,
                         .made = utc_now()});
    return c;
}

} // namespace refero::work
