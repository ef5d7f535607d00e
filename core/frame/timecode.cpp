#include "frame/timecode.hpp"

#include <cmath>
#include <cstdio>
#include <optional>

#include "base/base.hpp"

namespace refero::frame {

namespace {

struct Code {
    int hours = 0, minutes = 0, seconds = 0, pictures = 0;
    bool drops = false;
    bool valid() const {
        return hours >= 0 && hours < 24 && minutes >= 0 && minutes < 60 && seconds >= 0 && seconds < 60 &&
               pictures >= 0 && pictures < 100;
    }
    std::string text() const {
        return formatted("{:02}:{:02}:{:02}{}{:02}", hours, minutes, seconds, drops ? ';' : ':', pictures);
    }
};

std::optional<Code> code_from(const std::string& text) {
    Code c;
    char before = 0, after = 0;
    const int got =
        std::sscanf(text.c_str(), "%2d:%2d:%2d%c%2d%c", &c.hours, &c.minutes, &c.seconds, &before, &c.pictures, &after);
    if (got != 5 || (before != ':' && before != ';' && before != '.') || !c.valid()) return std::nullopt;
    c.drops = before != ':';
    return c;
}

// Numbers that are left out at the start of each minute but every tenth: two of thirty, four of sixty.
int dropped(int rate) { return rate / 15; }

long count_of(const Code& c, int rate) {
    const long minutes = c.hours * 60L + c.minutes;
    const long all = (minutes * 60 + c.seconds) * rate + c.pictures;
    return c.drops ? all - dropped(rate) * (minutes - minutes / 10) : all;
}

Code code_of(long count, int rate, bool drops) {
    constexpr long minutes_a_day = 24L * 60;
    if (drops) {
        const long minute = 60L * rate - dropped(rate), ten = 10 * minute + dropped(rate);
        count %= minutes_a_day / 10 * ten;
        const long tens = count / ten, rest = count % ten;
        const long minutes = rest < 60L * rate ? 0 : 1 + (rest - 60L * rate) / minute;
        count += dropped(rate) * (9 * tens + minutes);
    }
    count %= minutes_a_day * 60 * rate;
    const long s = count / rate;
    return {static_cast<int>(s / 3600), static_cast<int>(s / 60 % 60), static_cast<int>(s % 60),
            static_cast<int>(count % rate), drops};
}

} // namespace

std::string timecode_after(const std::string& start, double frames_per_second, long pictures) {
    const auto from = code_from(start);
    const long rate = std::isfinite(frames_per_second) ? std::lround(frames_per_second) : 0;
    if (!from || rate < 1 || rate > 1000 || pictures < 0) return {};
    const bool drops = from->drops && rate % 30 == 0;
    return code_of(count_of(*from, static_cast<int>(rate)) + pictures, static_cast<int>(rate), drops).text();
}

// SMPTE ST 12-1, section 9, without the binary groups: units and tens of pictures, the mark of dropped numbers, then
// seconds, minutes, hours.
std::uint32_t packed_timecode(const std::string& code) {
    const auto c = code_from(code);
    constexpr int most = 39; // two bits of tens
    if (!c || c->pictures > most) return 0;
    const auto bcd = [](int v) { return static_cast<std::uint32_t>(v / 10 << 4 | v % 10); };
    return bcd(c->hours) << 24 | bcd(c->minutes) << 16 | bcd(c->seconds) << 8 | (c->drops ? 1U << 6 : 0) |
           (bcd(c->pictures) & 0x3f);
}

std::string unpacked_timecode(std::uint32_t bits) {
    const auto number = [&](int shift, std::uint32_t tens) {
        return static_cast<int>((bits >> (shift + 4) & tens) * 10 + (bits >> shift & 0xf));
    };
    const Code c{number(24, 3), number(16, 7), number(8, 7), number(0, 3), (bits >> 6 & 1) != 0};
    const auto units = [&](int shift) { return (bits >> shift & 0xf) < 10; };
    return c.valid() && units(24) && units(16) && units(8) && units(0) ? c.text() : std::string();
}

} // namespace refero::frame
