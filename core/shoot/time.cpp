#include <chrono>
#include <cmath>
#include <cstdio>
#include <limits>

#include "base/base.hpp"
#include "shoot/time.hpp"

namespace refero::shoot {

double fraction_of(const std::string& time) {
    constexpr std::size_t whole_seconds = 19; // "YYYY-MM-DDThh:mm:ss"
    if (time.size() < whole_seconds + 2 || time[whole_seconds] != '.') return -1;
    double value = 0, place = 0.1;
    for (std::size_t i = whole_seconds + 1; i < time.size(); ++i, place /= 10) {
        if (time[i] < '0' || time[i] > '9') return -1;
        value += place * (time[i] - '0');
    }
    return value;
}

double seconds_of(const std::string& time) {
    int year = 0, month = 0, day = 0, h = 0, m = 0, s = 0;
    const int got = std::sscanf(time.c_str(), "%d-%d-%d%*1[T ]%d:%d:%d", &year, &month, &day, &h, &m, &s);
    const std::chrono::year_month_day date{std::chrono::year(year), std::chrono::month(static_cast<unsigned>(month)),
                                           std::chrono::day(static_cast<unsigned>(day))};
    if ((got != 3 && got < 5) || !date.ok() || h < 0 || h > 23 || m < 0 || m > 59 || s < 0 || s > 60)
        return std::numeric_limits<double>::quiet_NaN();
    return static_cast<double>(std::chrono::sys_days(date).time_since_epoch().count()) * 86400.0 + h * 3600.0 +
           m * 60.0 + s + std::max(0.0, fraction_of(time));
}

std::string time_of(double seconds) {
    if (!std::isfinite(seconds)) return {};
    const double days = std::floor(seconds / 86400);
    const std::chrono::year_month_day date{std::chrono::sys_days(std::chrono::days(static_cast<long>(days)))};
    const int rest = static_cast<int>(std::floor(seconds - days * 86400));
    return formatted("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}", static_cast<int>(date.year()),
                     static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()), rest / 3600,
                     rest / 60 % 60, rest % 60);
}

double time_in_job(const Shoot& shoot, const FrameRecord& frame) {
    const CameraRecord* camera = record(shoot.cameras, frame.camera);
    return seconds_of(frame.taken) + (camera ? camera->clock_offset_s : 0);
}

} // namespace refero::shoot
