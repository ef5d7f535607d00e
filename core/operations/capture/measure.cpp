#include "operations/capture/measure.hpp"
#include "shoot/board.hpp"

namespace refero::operations {

using shoot::Change;
using shoot::Id;

FrameSource source_of(const shoot::Shoot& shoot, const shoot::FrameRecord& frame, Id mode) {
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, frame.setup);
    const shoot::ModeRecord* m = shoot::record(shoot.modes, mode ? mode : setup ? setup->mode : frame.mode);
    FrameSource s{frame.path, frame.sha256, {}, frame.position_s};
    if (m && !frame.raw && m->encoding != "linear") s.encoding = m->encoding;
    if (m && !frame.raw && m->clip_percent > 0) s.clip_code = m->clip_percent / 100;
    return s;
}

frame::Frame read(const FrameSource& source, frame::Size size, const Progress& progress, std::stop_token stop) {
    std::optional<frame::Encoding> encoding;
    if (!source.encoding.empty()) encoding = frame::Encoding::named(source.encoding);
    frame::Frame f = frame::read(source.file, {size, encoding, source.position_s, source.clip_code}, stop);
    if (progress) progress(1);
    return f;
}

inspect::Limits limits_of(const shoot::JobSettingsRecord& brief) {
    inspect::Limits limits = inspect::limits_for(
        {brief.share_school == shoot::ShareSchool::fill, brief.turn_school == shoot::TurnSchool::none});
    if (brief.limits.empty()) return limits;
    try {
        inspect::Limits changed = limits;
        inspect::change_limits(changed, brief.limits, {});
        return changed;
    } catch (const Error&) { // another version's: the usual ones hold
        return limits;
    }
}

MeasureRequest request_for(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot) {
    const shoot::FrameRecord* frame = shoot::record(shoot.frames, shot.frame);
    if (!frame) throw Error(ErrorKind::usage, "the frame of this chart shot is not in the job");
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, shot.setup);
    const shoot::CardRecord* card = setup ? shoot::record(shoot.cards, setup->card) : nullptr;
    return {source_of(shoot, *frame, setup ? setup->mode : 0),
            shot.chart,
            shoot::corners_from(shot.corners),
            limits_of(shoot.brief()),
            card ? card->definition : std::string(),
            setup && setup->balance_only};
}

namespace {

/// All that is known of a frame but its pixels.
frame::Frame without_pixels(const frame::Frame& f) {
    frame::Frame g;
    g.full_width = f.full_width;
    g.full_height = f.full_height;
    g.cell = f.cell;
    g.is_raw = f.is_raw;
    g.linear = f.linear;
    g.clips_at = f.clips_at;
    g.encoding = f.encoding;
    g.metadata = f.metadata;
    g.camera_from_xyz = f.camera_from_xyz;
    g.as_shot = f.as_shot;
    g.file = f.file;
    return g;
}

/// Level of the light in stops, by what a white of 100 % gives in the raw file and the camera's settings: of two shots
/// of one camera their difference is the light's. 0 where the file does not tell the settings, or the flash fired.
double level_of(const frame::Metadata& m, const balance::Balance& balance) {
    if (!(m.exposure_s > 0 && m.f_number > 0 && m.iso > 0 && balance.exposure > 0) || m.flash) return 0;
    return -std::log2(balance.exposure) - std::log2(m.exposure_s * m.iso / 100 / (m.f_number * m.f_number));
}

/// The plan has one chart and the frame shows another: said where the gate says that it found one.
void tell_other_chart(std::vector<shoot::FindingRecord>& rows, const MeasureRequest& request,
                      const MeasuredShot& shot) {
    for (shoot::FindingRecord& f : rows) {
        if (f.check != inspect::Check::found) continue;
        f.status = inspect::Status::caution;
        f.advice = "The plan has the chart " + request.planned + ", and this frame shows " + shot.definition.id +
                   ": change the card in the plan, or choose the chart here";
        std::rotate(rows.begin(), rows.begin() + (&f - rows.data()), rows.begin() + (&f - rows.data()) + 1);
        return;
    }
}

} // namespace

Measured measure(const MeasureRequest& request, std::shared_ptr<const frame::Frame> frame, const Progress& progress,
                 std::stop_token stop) {
    Measured m;
    const auto report = [&](double share) {
        if (progress) progress(share);
    };
    m.frame =
        frame ? frame : std::make_shared<const frame::Frame>(read(request.source, frame::Size::measuring, {}, stop));
    report(0.4);
    try {
        MeasuredShot shot = measure_in(
            *m.frame, {.chart = request.chart, .corners = request.corners, .panels = request.chart.empty()}, stop);
        shot.sha256 = request.source.sha256;
        inspect::Judgement judgement = judge(*m.frame, shot, request.limits);
        m.findings = rows_of(judgement);
        shot.light = std::move(judgement.light);
        if (!request.planned.empty() && request.planned != shot.definition.id && shot.definition.patches.size() > 1)
            tell_other_chart(m.findings, request, shot);
        shot.frame = without_pixels(*m.frame);
        try {
            const auto reference = chart::reference_of(shot.definition);
            const auto balance = balance::balanced_on(shot.reading, reference, &shot.definition, {});
            if (m.frame->camera_from_xyz) {
                const auto light = balance::light_of(balance, *m.frame->camera_from_xyz);
                m.kelvin = light.kelvin;
                m.duv = light.duv;
            }
            if (m.frame->is_raw) m.level = level_of(m.frame->metadata, balance);
        } catch (const Error&) { // the balance says why
        }
        m.shot = std::make_shared<const MeasuredShot>(std::move(shot));
    } catch (const Error& e) {
        if (e.kind() == ErrorKind::cancelled) throw;
        m.problem = request.card && e.kind() == ErrorKind::not_found ? touch_the_card : e.sentences();
    }
    report(1);
    return m;
}

std::string made_from(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot) {
    const shoot::FrameRecord* frame = shoot::record(shoot.frames, shot.frame);
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, shot.setup);
    const FrameSource source = frame ? source_of(shoot, *frame, setup ? setup->mode : 0) : FrameSource{};
    return shot.chart + "|" + shot.corners + (source.encoding.empty() ? "" : "|" + source.encoding) +
           (source.clip_code < 1 ? formatted("|clip {:g}", source.clip_code) : "");
}

const shoot::ReadingRecord* reading_of(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot) {
    for (const shoot::ReadingRecord& r : shoot.readings) {
        if (r.chart_shot != shot.id) continue;
        const std::string now = made_from(shoot, shot), earlier = shot.chart + "|" + shot.corners;
        if (r.made_from == now) return &r;
        // Readings of earlier versions, and of frames that came in before their mode was known, name the curve inside.
        const bool same_curve = now.size() > earlier.size() && r.encoding == now.substr(earlier.size() + 1);
        return r.made_from == earlier && same_curve ? &r : nullptr;
    }
    return nullptr;
}

std::optional<MeasuredShot> measured(const shoot::Shoot& shoot, const shoot::ChartShotRecord& shot) {
    const shoot::ReadingRecord* reading = reading_of(shoot, shot);
    if (!reading) return std::nullopt;
    const shoot::FrameRecord* frame = shoot::record(shoot.frames, shot.frame);
    return store::measured_from_json(reading->content,
                                     frame ? std::filesystem::path(frame->path) : std::filesystem::path());
}

std::vector<shoot::FindingRecord> findings_of(const shoot::Shoot& shoot, Id setup, Id chart_shot, const Measured& m) {
    std::vector<shoot::FindingRecord> rows = m.findings;
    bool compared = false;
    for (const shoot::ChartShotRecord& other : shoot.chart_shots) {
        if (!m.shot || other.setup != setup || other.id == chart_shot) continue;
        const auto before = measured(shoot, other);
        if (!before) continue;
        if (!compared) compare_balance(rows, *m.shot, *before, limits_of(shoot.brief()));
        compared = true;
        hear_witness(rows, *m.shot, *before);
    }
    for (shoot::FindingRecord& f : rows) f.chart_shot = chart_shot;
    return rows;
}

Change keep(const shoot::Shoot& shoot, Id chart_shot, const Measured& m) {
    const shoot::ChartShotRecord* row = shoot::record(shoot.chart_shots, chart_shot);
    if (!row) return {};
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, row->setup);
    const shoot::FrameRecord* frame = shoot::record(shoot.frames, row->frame);
    const std::string name = frame ? std::filesystem::path(frame->path).filename().string() : std::string();
    Change c((m.shot ? "Read the chart in " : "No reading of ") + name, setup ? shoot::title_of(shoot, *setup) : "",
             true);
    shoot::ChartShotRecord shot = *row;
    shot.problem = m.problem;
    shot.kelvin = m.kelvin;
    shot.duv = m.duv;
    shot.level = m.level;
    c.update(shot);
    for (const shoot::ReadingRecord& r : shoot.readings)
        if (r.chart_shot == shot.id) c.remove<shoot::ReadingRecord>(r.id);
    for (const shoot::FindingRecord& f : shoot.findings)
        if (f.chart_shot == shot.id) c.remove<shoot::FindingRecord>(f.id);
    if (!m.shot) return c;
    c.add(store::row_of(shot.id, made_from(shoot, shot), *m.shot));
    for (const shoot::FindingRecord& f : findings_of(shoot, shot.setup, shot.id, m)) c.add(f);
    return c;
}

} // namespace refero::operations
