// What job and kit files hold, version by version (docs/formats.md). A migration is never changed once it has shipped.
#include "store/document.hpp"
#include "store/internal/rows.hpp"

namespace refero::store {

namespace {

// Version 1 of both. A released version is never edited: what comes later is a migration of its own.
constexpr const char* things_1 = R"(
CREATE TABLE camera (id INTEGER PRIMARY KEY, uid TEXT, name TEXT NOT NULL, model TEXT, serial_number TEXT,
  firmware TEXT, sensor_width_mm REAL, sensor_height_mm REAL,
  width_px INTEGER, height_px INTEGER, clock_offset_s REAL, silent_lens INTEGER, position INTEGER, note TEXT);
CREATE TABLE light (id INTEGER PRIMARY KEY, uid TEXT, name TEXT NOT NULL, kind TEXT, kelvin REAL, power TEXT,
  modifier TEXT, age_years REAL, place INTEGER, spill TEXT,
  changed TEXT, position INTEGER);
CREATE TABLE card (id INTEGER PRIMARY KEY, uid TEXT, name TEXT NOT NULL, kind TEXT, definition TEXT, width_mm REAL,
  height_mm REAL, bought TEXT, first_used TEXT, compared TEXT,
  light_hours REAL, condition TEXT);
CREATE TABLE fallback (id INTEGER PRIMARY KEY, uid TEXT, camera TEXT, kind TEXT, made TEXT, content TEXT);
)";
constexpr const char* job_1 = R"(
CREATE TABLE brief (id INTEGER PRIMARY KEY CHECK (id = 1), title TEXT NOT NULL, client TEXT, date TEXT,
  lens_school TEXT, share_school TEXT, balance_school TEXT,
  exposure_school TEXT, chart_at_end INTEGER, matching INTEGER, fallbacks INTEGER, iso_stops REAL, light_days REAL,
  chart_years REAL);
CREATE TABLE place (id INTEGER PRIMARY KEY, name TEXT NOT NULL, note TEXT);
CREATE TABLE lens (id INTEGER PRIMARY KEY, uid TEXT, name TEXT NOT NULL, focal_mm REAL, focal_max_mm REAL,
  f_number REAL, nearest_m REAL);
CREATE TABLE mode (id INTEGER PRIMARY KEY, name TEXT NOT NULL, kind TEXT, encoding TEXT, sub_settings TEXT);
CREATE TABLE setup (id INTEGER PRIMARY KEY, camera INTEGER NOT NULL REFERENCES camera ON DELETE CASCADE,
  lens INTEGER REFERENCES lens ON DELETE CASCADE,
  mode INTEGER NOT NULL REFERENCES mode ON DELETE CASCADE,
  light INTEGER NOT NULL REFERENCES light ON DELETE CASCADE, card INTEGER REFERENCES card ON DELETE SET NULL,
  balance_only INTEGER, f_number REAL, subject_m REAL, white TEXT, model TEXT, intent TEXT, reference TEXT,
  note TEXT);
CREATE UNIQUE INDEX setup_once ON setup (camera, coalesce(lens, 0), mode, light);
CREATE INDEX setup_light ON setup (light);
CREATE INDEX setup_lens ON setup (lens);
CREATE INDEX setup_mode ON setup (mode);
CREATE INDEX setup_card ON setup (card);
CREATE TABLE frame (id INTEGER PRIMARY KEY, path TEXT NOT NULL, size INTEGER, sha256 TEXT,
  same_as INTEGER REFERENCES frame ON DELETE SET NULL, kind TEXT,
  camera INTEGER REFERENCES camera ON DELETE SET NULL, lens INTEGER REFERENCES lens ON DELETE SET NULL,
  mode INTEGER REFERENCES mode ON DELETE SET NULL,
  setup INTEGER REFERENCES setup ON DELETE SET NULL, by_hand INTEGER, reason TEXT, problem TEXT, make TEXT,
  model TEXT, serial_number TEXT, lens_name TEXT, taken TEXT,
  exposure_s REAL, f_number REAL, iso REAL, focal_mm REAL, flash INTEGER, position_s REAL, duration_s REAL);
CREATE UNIQUE INDEX frame_path ON frame (path);
CREATE INDEX frame_same ON frame (same_as);
CREATE INDEX frame_camera ON frame (camera);
CREATE INDEX frame_lens ON frame (lens);
CREATE INDEX frame_mode ON frame (mode);
CREATE INDEX frame_setup ON frame (setup);
CREATE TABLE chart_shot (id INTEGER PRIMARY KEY, setup INTEGER NOT NULL REFERENCES setup ON DELETE CASCADE,
  frame INTEGER NOT NULL REFERENCES frame ON DELETE CASCADE,
  chart TEXT, corners TEXT, refused TEXT, problem TEXT, accepted INTEGER, kelvin REAL, duv REAL);
CREATE INDEX chart_shot_setup ON chart_shot (setup);
CREATE INDEX chart_shot_frame ON chart_shot (frame);
CREATE TABLE reading (id INTEGER PRIMARY KEY, chart_shot INTEGER NOT NULL REFERENCES chart_shot ON DELETE CASCADE,
  made_from TEXT, content TEXT NOT NULL);
CREATE UNIQUE INDEX reading_shot ON reading (chart_shot);
CREATE TABLE finding (id INTEGER PRIMARY KEY, chart_shot INTEGER NOT NULL REFERENCES chart_shot ON DELETE CASCADE,
  "check" TEXT NOT NULL, status TEXT, value REAL, "limit" REAL,
  unit TEXT, patches TEXT, advice TEXT);
CREATE INDEX finding_shot ON finding (chart_shot);
CREATE TABLE correction (id INTEGER PRIMARY KEY, setup INTEGER NOT NULL REFERENCES setup ON DELETE CASCADE,
  chart_shot INTEGER REFERENCES chart_shot ON DELETE SET NULL,
  taken_from INTEGER REFERENCES setup ON DELETE SET NULL, made TEXT, settings TEXT, firmware TEXT,
  sub_settings TEXT, lens INTEGER REFERENCES lens ON DELETE SET NULL, iso REAL,
  shot_taken TEXT, content TEXT NOT NULL);
CREATE INDEX correction_setup ON correction (setup);
CREATE INDEX correction_shot ON correction (chart_shot);
CREATE INDEX correction_from ON correction (taken_from);
CREATE INDEX correction_lens ON correction (lens);
CREATE TABLE proof (id INTEGER PRIMARY KEY, correction INTEGER NOT NULL REFERENCES correction ON DELETE CASCADE,
  chart_shot INTEGER REFERENCES chart_shot ON DELETE CASCADE,
  made TEXT, mean REAL, median REAL, p95 REAL, max REAL, basis TEXT);
CREATE INDEX proof_correction ON proof (correction);
CREATE INDEX proof_shot ON proof (chart_shot);
CREATE TABLE handover (id INTEGER PRIMARY KEY, setup INTEGER NOT NULL REFERENCES setup ON DELETE CASCADE,
  correction INTEGER REFERENCES correction ON DELETE SET NULL, file TEXT,
  kind TEXT, message TEXT, made TEXT);
CREATE INDEX handover_setup ON handover (setup);
CREATE INDEX handover_correction ON handover (correction);
CREATE TABLE note (id INTEGER PRIMARY KEY, setup INTEGER REFERENCES setup ON DELETE CASCADE, at TEXT,
  text TEXT NOT NULL);
CREATE INDEX note_setup ON note (setup);
INSERT INTO brief (id, title, lens_school, share_school, balance_school, exposure_school, chart_at_end, matching,
  fallbacks, iso_stops, light_days, chart_years)
  VALUES (1, 'Untitled job', 'common', 'tenth', 'custom', 'metered', 0, 0, 1, 2, 30, 3);
)";
constexpr const char* job_2 = R"(
ALTER TABLE setup ADD COLUMN weights TEXT DEFAULT '';
ALTER TABLE setup ADD COLUMN curves INTEGER DEFAULT 0;
ALTER TABLE setup ADD COLUMN spots TEXT DEFAULT '';
ALTER TABLE setup ADD COLUMN average INTEGER DEFAULT 0;
ALTER TABLE setup ADD COLUMN samples TEXT DEFAULT '';
ALTER TABLE setup ADD COLUMN others TEXT DEFAULT '';
ALTER TABLE setup ADD COLUMN stops REAL DEFAULT 0;
ALTER TABLE setup ADD COLUMN warmer_mired REAL DEFAULT 0;
ALTER TABLE setup ADD COLUMN greener REAL DEFAULT 0;
ALTER TABLE setup ADD COLUMN light_kept REAL DEFAULT 0;
)";

constexpr const char* job_3 = R"(
ALTER TABLE frame ADD COLUMN raw INTEGER DEFAULT 0;
UPDATE frame SET raw = 1 WHERE kind <> 'clip' AND lower(path) NOT LIKE '%.tif' AND lower(path) NOT LIKE '%.tiff'
  AND lower(path) NOT LIKE '%.png' AND lower(path) NOT LIKE '%.jpg' AND lower(path) NOT LIKE '%.jpeg'
  AND lower(path) NOT LIKE '%.exr' AND lower(path) NOT LIKE '%.dpx' AND lower(path) NOT LIKE '%.webp'
  AND lower(path) NOT LIKE '%.bmp';
)";

// What a user decides about a setup became one text.
constexpr const char* job_4 = R"(
ALTER TABLE brief ADD COLUMN limits TEXT DEFAULT '';
ALTER TABLE correction ADD COLUMN kind TEXT DEFAULT 'plain';
ALTER TABLE correction ADD COLUMN target INTEGER REFERENCES setup ON DELETE SET NULL;
CREATE INDEX correction_target ON correction (target);
ALTER TABLE setup ADD COLUMN settings TEXT DEFAULT '';
UPDATE setup SET settings = json_object('white', coalesce(white, ''), 'model', coalesce(model, ''),
  'intent', coalesce(intent, ''), 'reference', coalesce(reference, ''), 'weights', coalesce(weights, ''),
  'curves', json(iif(curves, 'true', 'false')), 'average', json(iif(average, 'true', 'false')),
  'samples', coalesce(samples, ''), 'spots', coalesce(spots, ''), 'others', coalesce(others, ''),
  'stops', coalesce(stops, 0.0), 'warmer_mired', coalesce(warmer_mired, 0.0), 'greener', coalesce(greener, 0.0),
  'light_kept', coalesce(light_kept, 0.0));
ALTER TABLE setup DROP COLUMN white;
ALTER TABLE setup DROP COLUMN model;
ALTER TABLE setup DROP COLUMN intent;
ALTER TABLE setup DROP COLUMN reference;
ALTER TABLE setup DROP COLUMN weights;
ALTER TABLE setup DROP COLUMN curves;
ALTER TABLE setup DROP COLUMN spots;
ALTER TABLE setup DROP COLUMN average;
ALTER TABLE setup DROP COLUMN samples;
ALTER TABLE setup DROP COLUMN others;
ALTER TABLE setup DROP COLUMN stops;
ALTER TABLE setup DROP COLUMN warmer_mired;
ALTER TABLE setup DROP COLUMN greener;
ALTER TABLE setup DROP COLUMN light_kept;
)";

constexpr const char* job_5 = R"(
ALTER TABLE brief ADD COLUMN turn_school TEXT DEFAULT 'slight';
)";
constexpr const char* job_6 = R"(
ALTER TABLE mode ADD COLUMN clip_percent REAL DEFAULT 0;
)";

// Values that were brought for a card: of the kit and of the job alike.
constexpr const char* cards_2 = R"(
ALTER TABLE card ADD COLUMN measured TEXT DEFAULT '';
)";

constexpr const char* kit_1 = R"(
CREATE TABLE light_reading (id INTEGER PRIMARY KEY, light INTEGER NOT NULL REFERENCES light ON DELETE CASCADE,
  at TEXT, kelvin REAL, duv REAL, power TEXT, modifier TEXT, source TEXT);
CREATE INDEX light_reading_light ON light_reading (light);
CREATE TABLE monitor (id INTEGER PRIMARY KEY, name TEXT NOT NULL, calibrated TEXT, before_each_project INTEGER,
  interval_days REAL, note TEXT);
CREATE TABLE warmth (id INTEGER PRIMARY KEY, name TEXT NOT NULL, mired REAL, tint REAL);
CREATE TABLE balance (id INTEGER PRIMARY KEY, camera INTEGER NOT NULL REFERENCES camera ON DELETE CASCADE,
  name TEXT NOT NULL, at TEXT, kelvin REAL, tint REAL);
CREATE INDEX balance_camera ON balance (camera);
CREATE TABLE series_shot (id INTEGER PRIMARY KEY, client TEXT, job TEXT, job_file TEXT, camera TEXT, lens TEXT,
  mode TEXT, light TEXT, taken TEXT, kelvin REAL, duv REAL, content TEXT);
)";

constexpr const char* kit_2 = R"(
CREATE TABLE house (id INTEGER PRIMARY KEY, limits TEXT);
)";

constexpr const char* kit_4 = R"(
ALTER TABLE balance ADD COLUMN number INTEGER DEFAULT 0;
)";

// What monitors were checked as, and what was practised.
constexpr const char* kit_5 = R"(
ALTER TABLE monitor ADD COLUMN backlight TEXT DEFAULT '';
ALTER TABLE monitor ADD COLUMN target TEXT DEFAULT 'srgb';
ALTER TABLE monitor ADD COLUMN screen TEXT DEFAULT '';
ALTER TABLE monitor ADD COLUMN profile TEXT DEFAULT '';
CREATE TABLE monitor_check (id INTEGER PRIMARY KEY, monitor INTEGER NOT NULL REFERENCES monitor ON DELETE CASCADE,
  at TEXT, source TEXT, kelvin REAL, duv REAL, luminance REAL, black REAL, gamma REAL, grey_tracking REAL,
  delta_e REAL, verdict TEXT, content TEXT);
CREATE INDEX monitor_check_monitor ON monitor_check (monitor);
CREATE TABLE answer (id INTEGER PRIMARY KEY, at TEXT, task TEXT, about TEXT, level INTEGER, passed INTEGER);
)";

// Renderings of a setup beside its own correction, and looks that are kept for clients who come back.
constexpr const char* job_8 = R"(
ALTER TABLE correction ADD COLUMN name TEXT DEFAULT '';
)";
// Recordings bear a time code, a range of them is developed; frames have a part in effects sets.
constexpr const char* job_9 = R"(
ALTER TABLE frame ADD COLUMN timecode TEXT DEFAULT '';
ALTER TABLE frame ADD COLUMN reel TEXT DEFAULT '';
ALTER TABLE frame ADD COLUMN frames_per_second REAL DEFAULT 0;
ALTER TABLE frame ADD COLUMN from_s REAL DEFAULT 0;
ALTER TABLE frame ADD COLUMN to_s REAL DEFAULT 0;
ALTER TABLE frame ADD COLUMN role TEXT DEFAULT '';
)";
// Frames are known again by size and time of change, and handovers by the files that were written.
constexpr const char* job_10 = R"(
ALTER TABLE frame ADD COLUMN changed_ns INTEGER DEFAULT 0;
CREATE TABLE handover_file (id INTEGER PRIMARY KEY, handover INTEGER NOT NULL REFERENCES handover ON DELETE CASCADE,
  name TEXT, size INTEGER, sha256 TEXT);
CREATE INDEX handover_file_of ON handover_file (handover);
)";
constexpr const char* job_11 = R"(
ALTER TABLE reading ADD COLUMN page INTEGER DEFAULT 0;
ALTER TABLE reading ADD COLUMN encoding TEXT;
UPDATE reading SET page = COALESCE(json_extract(content, '$.page'), 0),
  encoding = COALESCE(json_extract(content, '$.encoding'), '') WHERE json_valid(content);
ALTER TABLE brief ADD COLUMN stretch_school TEXT DEFAULT 'nearest';
UPDATE brief SET stretch_school = CASE WHEN chart_at_end THEN 'last' ELSE 'first' END
  WHERE EXISTS (SELECT 1 FROM setup) OR EXISTS (SELECT 1 FROM frame);
ALTER TABLE brief DROP COLUMN chart_at_end;
ALTER TABLE setup ADD COLUMN stretch_school TEXT DEFAULT '';
ALTER TABLE setup ADD COLUMN divided INTEGER DEFAULT 0;
ALTER TABLE chart_shot ADD COLUMN level REAL DEFAULT 0;
ALTER TABLE chart_shot ADD COLUMN joining TEXT DEFAULT '';
)";
// What arrivals tell of light and style, evening out by a region, named colours; frames that were developed before keep
// the chart's exposure.
constexpr const char* job_12 = R"(
ALTER TABLE frame ADD COLUMN as_shot_kelvin REAL DEFAULT 0;
ALTER TABLE frame ADD COLUMN auto_balance INTEGER DEFAULT 0;
ALTER TABLE frame ADD COLUMN style TEXT DEFAULT '';
ALTER TABLE chart_shot ADD COLUMN region TEXT DEFAULT '';
ALTER TABLE chart_shot ADD COLUMN region_frame INTEGER DEFAULT 0;
ALTER TABLE brief ADD COLUMN frame_exposure TEXT DEFAULT 'auto';
UPDATE brief SET frame_exposure = 'chart' WHERE EXISTS (SELECT 1 FROM setup) OR EXISTS (SELECT 1 FROM frame);
CREATE TABLE named_colour (id INTEGER PRIMARY KEY, name TEXT NOT NULL, x REAL, y REAL, z REAL, uncertainty REAL,
  spectrum TEXT, source TEXT);
)";
constexpr const char* kit_6 = R"(
CREATE TABLE look (id INTEGER PRIMARY KEY, name TEXT NOT NULL, client TEXT, content TEXT);
)";

template<class Content>
std::vector<std::string> tables_of() {
    std::vector<std::string> all;
    Content content;
    shoot::for_each_list(
        content, [&](auto& list) { all.push_back(Rows<typename std::decay_t<decltype(list)>::value_type>::table); });
    return all;
}

} // namespace

const Schema& job_schema() {
    static const Schema schema{0x52666a31,
                               "job",
                               {std::string(things_1) + job_1, job_2, job_3, job_4, job_5, job_6, cards_2, job_8, job_9,
                                job_10, job_11, job_12},
                               tables_of<shoot::Shoot>(),
                               false}; // "Rfj1"
    return schema;
}

const Schema& kit_schema() {
    static const Schema schema{
        0x52666b31,
        "kit",
        {std::string(things_1) + kit_1, kit_2, cards_2, kit_4, kit_5, kit_6, ""}, // 7: steps of undo are numbered
        tables_of<shoot::Kit>(),
        true}; // "Rfk1"
    return schema;
}

} // namespace refero::store
