#include "operations/handover/handover.hpp"

#include "apply/clip_writer.hpp"
#include "operations/handover/clip.hpp"

#include <cmath>
#include <map>

#include "frame/sequence.hpp"
#include "operations/capture/files.hpp"

namespace refero::operations {

namespace fs = std::filesystem;
using shoot::Change;
using shoot::Id;

void guard_outputs(const shoot::Shoot& shoot, const fs::path& job_file, const std::vector<fs::path>& outputs) {
    std::vector<fs::path> kept{job_file};
    for (const shoot::FrameRecord& f : shoot.frames) {
        kept.emplace_back(f.path);
        for (const fs::path& output : outputs) // a picture of a sequence
            if (f.kind == shoot::FrameKind::clip && frame::is_part_of(output, f.path)) kept.push_back(output);
    }
    for (const shoot::SetupRecord& s : shoot.setups) {
        const shoot::SetupSettings settings = shoot::settings_of(s, nullptr);
        kept.push_back(settings.reference);
        kept.insert(kept.end(), settings.samples.begin(), settings.samples.end());
        for (const prove::Named& other : settings.others) kept.push_back(other.file);
    }
    for (const shoot::ModeRecord& m : shoot.modes)
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

HandedOver write_file(const fit::Correction& correction, const std::string& format, const handover::Options& options,
                      const fs::path& file) {
    const handover::Written w = handover::write(correction, format, file, options);
    return recorded({file, w.model_name(), w.message}, w.files);
}

HandedOver write_trimmed(const Chain& chain, const prove::Named& other, const fs::path& file) {
    if (!chain.shot || !chain.reference || !chain.balance)
        throw Error(ErrorKind::usage, "there is no reading to trim it on", {}, "Read a chart shot first");
    const prove::Elsewhere e = prove::open_elsewhere(other.file, other.usage, *chain.balance);
    const fit::Correction trim =
        prove::trim_of(e.rendering, chain.shot->reading, *chain.reference, &chain.shot->definition);
    handover::Options options;
    options.input_encoding = other.usage.input_encoding;
    options.space = other.usage.space;
    options.name = other.file.stem().string() + ", trimmed";
    const std::string name = other.file.filename().string();
    handover::write_cube(prove::trimmed(e.own, trim), "Trimmed to a chart shot: " + name, file, options);
    return recorded({file, "trimmed LUT",
                     formatted("{} with a small correction after it: CIEDE2000 {:.2f} on patches held out", name,
                               trim.cross_validated.mean)});
}

namespace {

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
        text.replace(at, what.size(), by);
    return text;
}

/// What a file name takes of a text.
std::string in_name(std::string text, const char* else_) {
    for (char& c : text)
        if (c == '/' || static_cast<unsigned char>(c) < 0x20) c = '-';
    return text.empty() ? else_ : text;
}

/// Of a clip that of the container that its copy takes; for what is no clip the usual one.
std::string extension_for(const fs::path& source, apply::Format format, const std::string& container) {
    if (!apply::is_clip(format) || frame::kind_of(source) != frame::FileKind::clip) return apply::extension_of(format);
    try {
        return "." + apply::container_for(source, format, container).name;
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::usage) throw;
        return apply::extension_of(format); // whoever writes it says why it cannot be
    }
}

} // namespace

std::vector<FrameSource> stills_between(const FrameSource& clip, double frames_per_second, double from_s, double to_s) {
    const double rate = std::max(1.0, frames_per_second);
    constexpr std::size_t most = 1'000'000;
    const bool sequence = frame::is_sequence_name(clip.file); // each picture is a file of its own
    const std::vector<fs::path> files = sequence ? frame::files_of_sequence(clip.file) : std::vector<fs::path>{};
    std::vector<FrameSource> stills;
    FrameSource still = clip;
    for (double at = std::max(0.0, from_s); at <= to_s + 0.25 / rate && stills.size() < most; at += 1 / rate) {
        if (sequence) {
            const auto i = static_cast<std::size_t>(at * rate + 1e-4);
            if (i >= files.size()) break;
            stills.push_back({files[i], {}, clip.encoding, 0, clip.clip_code});
        } else {
            still.position_s = at + 0.25 / rate; // within the still, whatever is rounded
            ++still.number;
            stills.push_back(still);
        }
    }
    return stills;
}

std::vector<Development> plan_targets(const std::vector<FrameSource>& sources, const Naming& naming,
                                      apply::Format format, const fs::path& folder, const std::string& container) {
    const bool asks = naming.pattern.find("{camera}") != std::string::npos ||
                      naming.pattern.find("{lens}") != std::string::npos ||
                      naming.pattern.find("{date}") != std::string::npos;
    const bool tells =
        naming.pattern.find("{stem}") != std::string::npos || naming.pattern.find("{counter}") != std::string::npos;
    std::map<std::string, int> seen;
    std::vector<Development> all;
    for (std::size_t i = 0; i < sources.size(); ++i) {
        const std::string number = sources[i].number ? formatted("_{:04}", sources[i].number) : std::string();
        const frame::Metadata m = asks ? frame::read_metadata(sources[i].file) : frame::Metadata{};
        std::string name = replaced(naming.pattern, "{stem}", sources[i].file.stem().string() + number);
        name = replaced(name, "{camera}", in_name(m.camera(), "camera"));
        name = replaced(name, "{lens}", in_name(m.lens, "lens"));
        name = replaced(name, "{date}", in_name(m.taken.substr(0, 10), "undated"));
        name = replaced(name, "{light}", in_name(naming.light, "light"));
        name = replaced(name, "{rendering}", in_name(naming.rendering, "even"));
        name = replaced(name, "{space}", naming.space);
        name = replaced(name, "{counter}", formatted("{:04}", i + 1));
        if (!tells) name += number;
        if (name.empty() || name.find('/') != std::string::npos || name.find('{') != std::string::npos)
            throw Error(ErrorKind::usage, "the name pattern '" + naming.pattern + "' cannot be used", {},
                        "Known: {stem} {camera} {light} {lens} {date} {rendering} {space} {counter}");
        const int n = ++seen[to_lower(name)];
        if (naming.tell_apart && n > 1) name += "-" + std::to_string(n);
        all.push_back({sources[i], folder / (name + extension_for(sources[i].file, format, container))});
    }
    return all;
}

std::vector<FrameSource> stills_of(const shoot::Shoot& shoot, const shoot::FrameRecord& row, Id mode,
                                   apply::Format format) {
    const FrameSource source = source_of(shoot, row, mode);
    if (apply::is_clip(format) && frame::kind_of(source.file) == frame::FileKind::clip) {
        FrameSource whole = source;
        whole.position_s = row.has_range() ? row.from_s : 0;
        whole.to_s = row.has_range() ? row.to_s : -1;
        return {whole};
    }
    if (!row.has_range() && !frame::is_sequence_name(source.file)) return {source};
    const double from = row.has_range() ? row.from_s : source.position_s, to = row.has_range() ? row.to_s : from;
    return stills_between(source, row.frames_per_second, from, to);
}

int stills_in(const shoot::FrameRecord& row) {
    return row.has_range() ? 1 + static_cast<int>((row.to_s - row.from_s) * std::max(1.0, row.frames_per_second) + 0.25)
                           : 1;
}

std::vector<Development> developments(const shoot::Shoot& shoot, const Chain& chain, apply::Format format,
                                      const fs::path& folder, const std::string& pattern, const std::string& space,
                                      const std::string& rendering) {
    std::vector<FrameSource> sources;
    std::vector<Id> rows;
    const auto add = [&](const shoot::FrameRecord& row) {
        const std::vector<FrameSource> stills = stills_of(shoot, row, chain.row.mode, format);
        sources.insert(sources.end(), stills.begin(), stills.end());
        rows.resize(sources.size(), row.id);
    };
    if (chain.chart_frame.id) add(chain.chart_frame);
    for (const shoot::Id id : chain.frames)
        if (const shoot::FrameRecord* row = shoot::record(shoot.frames, id);
            row && id != chain.chart_frame.id && row->problem.empty()) // a clip is both
            add(*row);
    const std::string own = chain.correction ? fit::name_of(chain.correction->intent) : std::string();
    std::vector<Development> all = plan_targets(
        sources, {pattern, chain.light_name, rendering.empty() ? own : rendering, space, true}, format, folder);
    for (std::size_t i = 0; i < all.size(); ++i) all[i].row = rows[i];
    return all;
}

std::string record_of(const Development& d, const fit::Correction& correction, const std::string& correction_json,
                      const SecondLight& second, const DevelopOptions& o) {
    // Without a look as it was written before there were looks: what is finished stays so.
    apply::Parts parts = o.parts;
    parts.look = parts.look && !correction.look.changes_nothing();
    std::error_code ec;
    const auto size = fs::file_size(d.source.file, ec);
    const auto time = fs::last_write_time(d.source.file, ec).time_since_epoch().count();
    std::string text = formatted("{}|{}|{}|{}|{:g}|{:g}|", fs::absolute(d.source.file, ec), size, time,
                                 d.source.encoding, d.source.position_s, d.source.clip_code);
    text += formatted("{}|{}|{}|{}|{}|{:g}|", static_cast<int>(o.format), o.space, static_cast<int>(o.depth),
                      apply::text_of(parts), static_cast<int>(o.gamut), second.kelvin);
    if (o.exposure != FrameExposure::chart) text += "exposure " + name_of(o.exposure) + "|";
    if (o.exposure == FrameExposure::region && d.region) text += d.region->text() + "|";
    if (apply::is_clip(o.format)) text += formatted("{}|to {:g}|", o.container, d.source.to_s);
    if (o.white_luminance > 0) text += formatted("white {:g}|", o.white_luminance);
    text += correction_json + (second.correction ? fit::to_json(*second.correction) : std::string());
    return sha256_of_text(text).substr(0, 32);
}

bool is_finished(const Development& d, const std::string& record) {
    std::error_code ec;
    if (!fs::is_regular_file(d.target, ec)) return false;
    const std::string extension = d.target.extension().string();
    if (extension == ".mov" || extension == ".mp4" || extension == ".mkv" || extension == ".mxf")
        return apply::clip_record(d.target) == record;
    return apply::image_id_of(d.target) == record;
}

namespace {

/// A copy of a raw file that bears the correction's balance and, with its colour, a profile.
Developed copy_balanced(const Development& d, const fit::Correction& correction, const SecondLight& second,
                        const DevelopOptions& o, const std::string& record) {
    const frame::Metadata metadata = frame::read_metadata(d.source.file);
    apply::DngChanges changes{.record = record};
    // Between two lights the camera's own balance tells where; it stays.
    if (o.parts.balance && (!second.correction || second.kelvin > 0))
        changes.gains =
            second.correction
                ? fit::between(correction, *second.correction, colour::Temperature{second.kelvin, 0}).balance.gains
                : correction.balance.gains;
    if (o.parts.colour) {
        handover::Options profile;
        profile.second = second.correction;
        profile.camera_model = metadata.unique_model;
        std::tie(changes.profile, changes.profile_name) = handover::camera_profile(correction, profile);
    }
    apply::copy_dng(d.source.file, d.target, changes, o.existing);
    Developed done;
    done.file = d.target;
    done.kind = "frame";
    done.message = "copy of the raw file";
    if (changes.gains) done.message += ", with the balance";
    if (o.parts.colour) done.message += ", with the profile " + changes.profile_name;
    done.differences = fit::differences(correction, metadata);
    done.kelvin = second.kelvin;
    return done;
}

} // namespace

frame::Frame take_frame(const Development& d, const DevelopOptions& o, Reel& reel, std::stop_token stop) {
    if (o.format == apply::Format::dng || apply::is_clip(o.format)) return {};
    const FrameSource& source = d.source;
    if (frame::kind_of(source.file) != frame::FileKind::clip) return read(source, frame::Size::full, {}, stop);
    if (!reel.reader || reel.file != source.file) {
        reel.reader = std::make_unique<frame::ClipReader>(source.file);
        reel.file = source.file;
    }
    frame::StillOptions options{.clip_code = source.clip_code};
    if (!source.encoding.empty()) options.encoding = frame::Encoding::named(source.encoding);
    return reel.reader->still(source.position_s, options, stop);
}

ExposureTaken exposure_by_region(const Development& d, const fit::Correction& c, const frame::Frame& frame) {
    const double charts = c.balance.exposure;
    if (!d.region) return {FrameExposure::chart, charts, "no region is marked for its stretch"};
    const Evening e = d.region->of(frame);
    if (e.covered) return {FrameExposure::chart, charts, e.says};
    return {FrameExposure::region, charts * std::exp2(-e.stops)};
}

ExposureTaken exposure_for(FrameExposure choice, const fit::Correction& c, const frame::Metadata& frame) {
    const double charts = c.balance.exposure;
    if (choice == FrameExposure::chart) return {choice, charts};
    const double as_shot = std::exp2(frame.baseline_exposure_stops);
    if (choice == FrameExposure::as_shot) return {choice, as_shot};
    const frame::Metadata none, &own = c.sources.empty() ? none : c.sources.front().metadata;
    const bool flash = own.flash && frame.flash;
    const auto settings = [&](const frame::Metadata& m) {
        const bool known = m.f_number > 0 && m.iso > 0 && (flash || m.exposure_s > 0);
        return known ? std::log2((flash ? 1 : m.exposure_s) * m.iso / (m.f_number * m.f_number)) : NAN;
    };
    const double more = settings(frame) - settings(own); // stops that the camera let in more than at the chart shot
    if (!std::isfinite(more)) return {FrameExposure::chart, charts};
    if (choice == FrameExposure::levelled) return {choice, charts * std::exp2(-more)};
    return std::abs(more) <= max_same_exposure_stops ? ExposureTaken{FrameExposure::chart, charts}
                                                     : ExposureTaken{FrameExposure::as_shot, as_shot};
}

Developed develop(const Development& d, frame::Frame&& f, const fit::Correction& correction, const SecondLight& second,
                  const DevelopOptions& o, std::stop_token stop) {
    const std::string record = record_of(d, correction, fit::to_json(correction), second, o);
    if (o.format == apply::Format::dng) {
        if (!o.parts.balance && !o.parts.colour)
            throw Error(ErrorKind::usage, "a copy of a DNG bears balance and colour, and neither is asked for", {},
                        "Choose one of these parts, or another format");
        return copy_balanced(d, correction, second, o, record);
    }
    if (apply::is_clip(o.format)) return develop_clip(d, correction, second, o, record, stop);
    fit::Correction its = correction;
    if (second.correction)
        its = second.kelvin > 0 ? fit::between(correction, *second.correction, colour::Temperature{second.kelvin, 0})
                                : fit::between(correction, *second.correction, f);
    const ExposureTaken exposure =
        o.exposure == FrameExposure::region ? exposure_by_region(d, its, f) : exposure_for(o.exposure, its, f.metadata);
    its.balance.exposure = exposure.factor;
    frame::Metadata metadata = f.metadata;
    metadata.image_id = record;
    apply::Strips picture = apply::strips_of(std::move(f), its, o.space, o.parts, o.gamut, stop);
    picture.white_luminance = o.white_luminance;
    apply::write(picture, d.target, o.format, metadata, o.existing, o.depth);
    Developed done;
    done.file = d.target;
    done.kind = "frame";
    done.message = o.space + ", full size";
    done.exposure = exposure;
    if (exposure.choice != FrameExposure::chart)
        done.message += exposure.choice == FrameExposure::as_shot  ? ", exposed as shot"
                        : exposure.choice == FrameExposure::region ? ", evened out by the region"
                                                                   : ", levelled by the settings";
    if (!exposure.says.empty()) done.message += ", left alone: " + exposure.says;
    if (o.parts != apply::Parts{}) done.message += ", " + apply::text_of(o.parts) + " only";
    done.differences = fit::differences(correction, metadata);
    if (second.correction) {
        done.between = its.choice;
        done.kelvin = its.light->kelvin;
        done.message += ": " + its.choice;
    }
    return done;
}

namespace {

void add_row(Change& c, const std::map<std::pair<Id, std::string>, Id>& before, const Chain& chain,
             const HandedOver& handed) {
    const fs::path whole = fs::absolute(handed.file).lexically_normal();
    if (const auto at = before.find({chain.id, whole.string()}); at != before.end())
        c.remove<shoot::HandoverRecord>(at->second);
    const Id row = c.add(shoot::HandoverRecord{.setup = chain.id,
                                               .correction = handed.correction      ? handed.correction
                                                             : chain.balance_only() ? 0
                                                                                    : chain.correction_id,
                                               .file = whole.string(),
                                               .kind = handed.kind,
                                               .message = handed.message,
                                               .made = utc_now()});
    for (shoot::HandoverFileRecord file : handed.files) {
        file.handover = row;
        c.add(file);
    }
}

std::map<std::pair<Id, std::string>, Id> files_of(const shoot::Shoot& shoot) {
    std::map<std::pair<Id, std::string>, Id> files;
    for (const shoot::HandoverRecord& h : shoot.handovers) files[{h.setup, h.file}] = h.id;
    return files;
}

} // namespace

Change keep(const shoot::Shoot& shoot, const Chain& chain, const HandedOver& handed) {
    Change c("Hand over " + handed.file.filename().string(), chain.title);
    add_row(c, files_of(shoot), chain, handed);
    return c;
}

Change keep_all(const shoot::Shoot& shoot, const std::vector<std::pair<const Chain*, HandedOver>>& handed) {
    Change c(formatted("Develop {} frames", handed.size()), handed.empty() ? "" : handed.front().first->title);
    const auto before = files_of(shoot);
    for (const auto& [chain, h] : handed) add_row(c, before, *chain, h);
    return c;
}

} // namespace refero::operations
