// Records and their rows: the name of each record's table and of each member's column, in one place.
// Internal to the room.
#pragma once

#include "shoot/kit.hpp"

namespace refero::store {

template<class T>
struct Rows;

// `fields` calls f(column, member) for every member but the id; it serves reading, writing and comparing alike.
#define REFERO_ROWS(Record, table_name, ...)                                                                           \
    template<>                                                                                                         \
    struct Rows<shoot::Record> {                                                                                       \
        static constexpr const char* table = table_name;                                                               \
        template<class R, class F>                                                                                     \
        static void fields(R& r, F&& f) {                                                                              \
            __VA_ARGS__;                                                                                               \
        }                                                                                                              \
    }
#define C(member) f(#member, r.member)

REFERO_ROWS(JobSettingsRecord, "brief", C(title), C(client), C(date), C(lens_school), C(share_school), C(turn_school),
            C(balance_school), C(exposure_school), C(stretch_school), C(frame_exposure), C(matching), C(fallbacks),
            C(iso_stops), C(light_days), C(chart_years), C(limits));
REFERO_ROWS(PlaceRecord, "place", C(name), C(note));
REFERO_ROWS(CameraRecord, "camera", C(uid), C(name), C(model), C(serial_number), C(firmware), C(sensor_width_mm),
            C(sensor_height_mm), C(width_px), C(height_px), C(clock_offset_s), C(silent_lens), C(position), C(note));
REFERO_ROWS(LensRecord, "lens", C(uid), C(name), C(focal_mm), C(focal_max_mm), C(f_number), C(nearest_m));
REFERO_ROWS(ModeRecord, "mode", C(name), C(kind), C(encoding), C(sub_settings), C(clip_percent));
REFERO_ROWS(LightRecord, "light", C(uid), C(name), C(kind), C(kelvin), C(power), C(modifier), C(age_years), C(place),
            C(spill), C(changed), C(position));
REFERO_ROWS(CardRecord, "card", C(uid), C(name), C(kind), C(definition), C(width_mm), C(height_mm), C(bought),
            C(first_used), C(compared), C(light_hours), C(condition), C(measured));
REFERO_ROWS(SetupRecord, "setup", C(camera), C(lens), C(mode), C(light), C(card), C(balance_only), C(f_number),
            C(subject_m), C(stretch_school), C(divided), C(note), C(settings));
REFERO_ROWS(FrameRecord, "frame", C(path), C(size), C(sha256), C(same_as), C(kind), C(raw), C(camera), C(lens), C(mode),
            C(setup), C(by_hand), C(reason), C(problem), C(make), C(model), C(serial_number), C(lens_name), C(taken),
            C(exposure_s), C(f_number), C(iso), C(focal_mm), C(flash), C(position_s), C(duration_s), C(timecode),
            C(reel), C(frames_per_second), C(from_s), C(to_s), C(role), C(changed_ns), C(as_shot_kelvin),
            C(auto_balance), C(style));
REFERO_ROWS(ChartShotRecord, "chart_shot", C(setup), C(frame), C(chart), C(corners), C(refused), C(problem),
            C(accepted), C(kelvin), C(duv), C(level), C(joining), C(region), C(region_frame));
REFERO_ROWS(ReadingRecord, "reading", C(chart_shot), C(made_from), C(page), C(encoding), C(content));
REFERO_ROWS(FindingRecord, "finding", C(chart_shot), C(check), C(status), C(value), C(limit), C(unit), C(patches),
            C(advice));
REFERO_ROWS(HouseRecord, "house", C(limits));
REFERO_ROWS(CorrectionRecord, "correction", C(setup), C(kind), C(name), C(target), C(chart_shot), C(taken_from),
            C(made), C(settings), C(firmware), C(sub_settings), C(lens), C(iso), C(shot_taken), C(content));
REFERO_ROWS(ProofRecord, "proof", C(correction), C(chart_shot), C(made), C(mean), C(median), C(p95), C(max), C(basis));
REFERO_ROWS(HandoverRecord, "handover", C(setup), C(correction), C(file), C(kind), C(message), C(made));
REFERO_ROWS(HandoverFileRecord, "handover_file", C(handover), C(name), C(size), C(sha256));
REFERO_ROWS(NoteRecord, "note", C(setup), C(at), C(text));
REFERO_ROWS(FallbackRecord, "fallback", C(uid), C(camera), C(kind), C(made), C(content));
REFERO_ROWS(NamedColourRecord, "named_colour", C(name), C(x), C(y), C(z), C(uncertainty), C(spectrum), C(source));
REFERO_ROWS(LightReadingRecord, "light_reading", C(light), C(at), C(kelvin), C(duv), C(power), C(modifier), C(source));
REFERO_ROWS(MonitorRecord, "monitor", C(name), C(calibrated), C(before_each_project), C(interval_days), C(note),
            C(backlight), C(target), C(screen), C(profile));
REFERO_ROWS(MonitorCheckRecord, "monitor_check", C(monitor), C(at), C(source), C(kelvin), C(duv), C(luminance),
            C(black), C(gamma), C(grey_tracking), C(delta_e), C(verdict), C(content));
REFERO_ROWS(AnswerRecord, "answer", C(at), C(task), C(about), C(level), C(passed));
REFERO_ROWS(WarmthRecord, "warmth", C(name), C(mired), C(tint));
REFERO_ROWS(KeptLookRecord, "look", C(name), C(client), C(content));
REFERO_ROWS(StoredBalanceRecord, "balance", C(camera), C(name), C(at), C(kelvin), C(tint), C(number));
REFERO_ROWS(SeriesShotRecord, "series_shot", C(client), C(job), C(job_file), C(camera), C(lens), C(mode), C(light),
            C(taken), C(kelvin), C(duv), C(content));

#undef C
#undef REFERO_ROWS

} // namespace refero::store
