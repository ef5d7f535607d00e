// The kit: what all jobs share and what lasts beyond them, as plain records (see shoot.hpp). A job keeps a copy of
// what it used; `uid` tells that two records mean the same thing.
#pragma once

#include "display/display.hpp"
#include "shoot/records.hpp"

namespace refero::shoot {

/// What a light was measured as, once.
struct LightReadingRecord {
    Id id = 0;
    Id light = 0;
    std::string at;              ///< time
    double kelvin = 0, duv = 0;  ///< correlated colour temperature; distance from the Planckian locus, CIE 1960 u, v
    std::string power, modifier; ///< at that time
    std::string source;          ///< the job and frame, or the instrument
    bool operator==(const LightReadingRecord&) const = default;
};

struct MonitorRecord {
    Id id = 0;
    std::string name;
    std::string calibrated;           ///< date
    bool before_each_project = false; ///< else every `interval_days`
    double interval_days = 30;
    std::string note;
    std::string backlight;       ///< what makes its light: "white LED" ...
    std::string target = "srgb"; ///< what it is to show: srgb, display-p3, oprgb, bt709
    std::string screen;          ///< manufacturer, model and serial number by which its screen is known
    std::string profile;         ///< ICC file that describes it; empty: none
    bool operator==(const MonitorRecord&) const = default;
};

/// What a monitor was checked as, once.
struct MonitorCheckRecord {
    Id id = 0;
    Id monitor = 0;
    std::string at;                                   ///< time
    std::string source;                               ///< the instrument, or the file of values
    double kelvin = 0, duv = 0;                       ///< of its white
    double luminance = 0;                             ///< of its white, cd/m2
    double black = 0;                                 ///< cd/m2
    double gamma = 0, grey_tracking = 0, delta_e = 0; ///< see display::Display; delta_e: mean CIEDE2000
    display::Verdict verdict = display::Verdict::fail;
    std::string content; ///< the measured patches, CSV
    bool operator==(const MonitorCheckRecord&) const = default;
};

/// One answer to a task of practice.
struct AnswerRecord {
    Id id = 0;
    std::string at;    ///< time
    std::string task;  ///< kind of task
    std::string about; ///< the fault or thing that it was about
    int level = 1;     ///< difficulty, from 1
    bool passed = false;
    bool operator==(const AnswerRecord&) const = default;
};

/// A repeatable step away from neutral that belongs to the house, the same on every job.
struct WarmthRecord {
    Id id = 0;
    std::string name;
    double mired = 0; ///< along the daylight locus, positive is warmer
    double tint = 0;  ///< Duv in thousandths, positive is greener
    bool operator==(const WarmthRecord&) const = default;
};

/// A look that is kept by name, for clients who come back.
struct KeptLookRecord {
    Id id = 0;
    std::string name;
    std::string client;  ///< for whom; empty: for anybody
    std::string content; ///< look::Look as JSON
    bool operator==(const KeptLookRecord&) const = default;
};

/// A white balance that a camera stores.
struct StoredBalanceRecord {
    Id id = 0;
    Id camera = 0;
    std::string name, at;
    double kelvin = 0, tint = 0;
    int number = 0; ///< under which the camera stores it; 0: not known
    bool operator==(const StoredBalanceRecord&) const = default;
};

/// A chart shot of a job, kept to compare it with those of other jobs for the same client.
struct SeriesShotRecord {
    Id id = 0;
    std::string client, job, job_file;
    std::string camera, lens, mode, light, taken;
    double kelvin = 0, duv = 0;
    std::string content; ///< the correction that was made from it, JSON
    bool operator==(const SeriesShotRecord&) const = default;
};

/// What holds in all jobs of this house; there is one, with id 1.
struct HouseRecord {
    Id id = 1;
    std::string limits; ///< of the gate, where they are not the usual ones: JSON, docs/formats.md
    bool operator==(const HouseRecord&) const = default;
};

struct Kit {
    std::vector<HouseRecord> houses;
    std::vector<CameraRecord> cameras;
    std::vector<LightRecord> lights;
    std::vector<CardRecord> cards;
    std::vector<FallbackRecord> fallbacks;
    std::vector<LightReadingRecord> light_readings;
    std::vector<MonitorRecord> monitors;
    std::vector<MonitorCheckRecord> monitor_checks;
    std::vector<AnswerRecord> answers;
    std::vector<WarmthRecord> warmths;
    std::vector<KeptLookRecord> looks;
    std::vector<StoredBalanceRecord> balances;
    std::vector<SeriesShotRecord> series;
};

template<class K, class F>
requires std::is_same_v<std::remove_const_t<K>, Kit>
void for_each_list(K& k, F&& f) {
    f(k.houses);
    f(k.cameras);
    f(k.lights);
    f(k.cards);
    f(k.fallbacks);
    f(k.light_readings);
    f(k.monitors);
    f(k.monitor_checks);
    f(k.answers);
    f(k.warmths);
    f(k.looks);
    f(k.balances);
    f(k.series);
}

} // namespace refero::shoot
