#include "operations/demo/simulated_camera.hpp"
#include "shoot/time.hpp"

#include <cmath>

namespace refero::operations {

namespace fs = std::filesystem;
using simulate::Scene;

namespace {

colour::Spectrum spectrum_of(const shoot::LightRecord& l, std::string& name) {
    using K = shoot::LightKind;
    const auto kelvin = [&](double usual, double low, double high) {
        return std::clamp(l.kelvin > 0 ? l.kelvin : usual, low, high);
    };
    name = shoot::name_of(l.kind);
    switch (l.kind) {
    case K::window:
    case K::sun:
    case K::shade:
    case K::mixed: return colour::daylight(kelvin(l.kind == K::shade ? 6800 : 5600, 4000, 25000));
    case K::tungsten:
    case K::candle: return colour::planck(kelvin(l.kind == K::candle ? 1900 : 2900, 1000, 25000));
    case K::led: return colour::led(kelvin(4300, 2500, 7000));
    case K::flash: return simulate::light_named("flash");
    case K::fluorescent:
    case K::discharge: return simulate::light_named("fluorescent");
    }
    return simulate::light_named("window");
}

} // namespace

Scene simulated_scene(const shoot::Shoot& shoot, shoot::Id id, const Exposure& x) {
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, id);
    if (!setup) throw Error(ErrorKind::usage, "there is no such setup");
    const shoot::CameraRecord& camera = *shoot::record(shoot.cameras, setup->camera);
    const shoot::LightRecord& light = *shoot::record(shoot.lights, setup->light);
    const shoot::LensRecord* lens = shoot::record(shoot.lenses, setup->lens);
    if (!lens && !shoot.lenses.empty()) lens = &shoot.lenses.front();

    Scene s = simulate::load_scene(shipped(x.chart ? "demo/chart.json" : "demo/sheet.json"));
    const char* known[] = {"stills-a", "stills-b", "cine-a", "cine-b"};
    const char* like = known[static_cast<std::size_t>(camera.id) % 4];
    for (const char* k : known)
        if (simulate::camera_named(k).serial_number == camera.serial_number ||
            simulate::camera_named(k).model == camera.name)
            like = k;
    s.camera = simulate::camera_named(like);
    if (s.camera.serial_number != camera.serial_number) {
        s.camera.model = camera.model.empty() ? camera.name : camera.model;
        s.camera.serial_number = camera.serial_number;
    }
    s.light = spectrum_of(light, s.light_name);
    const double aspect = camera.sensor_height_mm > 0 ? camera.sensor_width_mm / camera.sensor_height_mm : 1.5;
    s.height = static_cast<int>(s.width / aspect) & ~1;
    s.lens = lens ? lens->name : "";
    s.focal_mm = lens ? lens->focal_mm : 50;
    s.focal_35mm_mm = s.focal_mm * 43.27 / std::hypot(camera.sensor_width_mm, camera.sensor_height_mm);
    s.f_number = setup->f_number;
    s.seed = x.seed;
    s.white *= std::exp2(x.stops);
    const double at = shoot::seconds_of(x.taken);
    if (std::isfinite(at)) s.taken = shoot::time_of(at - camera.clock_offset_s);
    if (!s.charts.empty()) {
        simulate::ChartInScene& chart = s.charts.front();
        const chart::Definition& d = chart.definition;
        const auto width_for = [&](double share) {
            return std::min(0.95,
                            std::sqrt(share * static_cast<double>(s.height) / s.width * d.width_mm / d.height_mm));
        };
        chart.width = width_for(x.share);
        chart.tilt_deg = x.tilt_deg;
        switch (x.mistake) {
        case Mistake::tilted: chart.tilt_deg = 42; break;
        case Mistake::small: chart.width = width_for(0.004); break;
        case Mistake::upside_down: chart.rotation_deg += 180; break;
        case Mistake::mirrored: chart.mirrored = true; break;
        case Mistake::cut_off: chart.x = 1 - 0.2 * chart.width; break;
        case Mistake::finger: {
            simulate::Object finger;
            finger.shape = simulate::Object::Shape::ellipse;
            finger.in_front = true;
            finger.x = chart.x + 0.42 * chart.width;
            finger.y = chart.y;
            finger.width = 0.3 * chart.width;
            finger.height = 0.12 * chart.width;
            finger.rotation_deg = 8;
            finger.reflectance = colour::smooth_reflectance(colour::xyz_from_lab({66, 18, 18})); // skin
            s.objects.push_back(finger);
            break;
        }
        default: break;
        }
    }
    switch (x.mistake) {
    case Mistake::out_of_focus: s.blur_px = 14; break;
    case Mistake::overexposed: s.white *= 2.5; break;
    case Mistake::underexposed: s.white /= 24; break;
    case Mistake::uneven: s.falloff_stops = 3; break;
    case Mistake::no_lens_data: s.lens.clear(); break;
    default: break;
    }
    return s;
}

fs::path next_file(const shoot::Shoot& shoot, shoot::Id id, const fs::path& folder) {
    const shoot::SetupRecord* setup = shoot::record(shoot.setups, id);
    std::string initials;
    bool start = true;
    for (const char c : setup ? shoot::name_in(shoot.cameras, setup->camera) : std::string()) {
        if (start && std::isalnum(static_cast<unsigned char>(c)))
            initials += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        start = c == ' ';
    }
    for (int n = 1;; ++n) {
        fs::path file = folder / formatted("{}_{:04}.dng", initials.empty() ? "SIM" : initials, n);
        std::error_code ec;
        if (!fs::exists(file, ec)) return file;
    }
}

} // namespace refero::operations
