// Scene descriptions from JSON.
#include <cmath>

#include <nlohmann/json.hpp>

#include "simulate/simulate.hpp"

namespace refero::simulate {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

/// Reads members of one object, with messages that name file and place, and refuses members it does not know.
class Reader {
public:
    Reader(const json& object, fs::path file, std::string place)
        : j_(object),
          file_(std::move(file)),
          place_(std::move(place)) {
        if (!j_.is_object()) fail("must be an object");
    }

    [[noreturn]] void fail(const std::string& what) const {
        throw Error(ErrorKind::input, (place_.empty() ? "the scene" : place_) + " " + what, file_,
                    "See docs/formats.md, Scene");
    }
    double number(const char* key, double fallback, double low, double high) {
        const json* v = get(key);
        if (!v) return fallback;
        const double d = v->is_number() ? v->get<double>() : NAN;
        if (!(d >= low && d <= high))
            Reader::child_fail(key, formatted("must be a number from {:g} to {:g}", low, high).c_str());
        return d;
    }
    std::string text(const char* key, const std::string& fallback) {
        const json* v = get(key);
        if (!v) return fallback;
        if (!v->is_string()) child_fail(key, "must be a text");
        return v->get<std::string>();
    }
    bool flag(const char* key) {
        const json* v = get(key);
        if (!v) return false;
        if (!v->is_boolean()) child_fail(key, "must be true or false");
        return v->get<bool>();
    }
    std::vector<double> numbers(const char* key, std::size_t count = 0) {
        const json* v = get(key);
        if (!v) return {};
        std::vector<double> all;
        if (v->is_array())
            for (const json& n : *v)
                if (n.is_number()) all.push_back(n.get<double>());
        if (!v->is_array() || all.size() != v->size() || (count && all.size() != count))
            child_fail(key, count ? "must be " + std::to_string(count) + " numbers" : "must be a list of numbers");
        return all;
    }
    const json* get(const char* key) {
        known_.push_back(key);
        const auto it = j_.find(key);
        return it == j_.end() ? nullptr : &*it;
    }
    Reader child(const char* key, const json& object) const { return {object, file_, path(key)}; }
    std::string path(const std::string& key) const { return place_.empty() ? key : place_ + "." + key; }
    [[noreturn]] void child_fail(const std::string& key, const std::string& what) const {
        throw Error(ErrorKind::input, path(key) + " " + what, file_, "See docs/formats.md, Scene");
    }
    void finish() const {
        for (const auto& [key, value] : j_.items())
            if (std::find(known_.begin(), known_.end(), key) == known_.end()) child_fail(key, "is not known here");
    }
    const fs::path& file() const { return file_; }

private:
    const json& j_;
    fs::path file_;
    std::string place_;
    std::vector<std::string> known_;
};

Spectrum spectrum(Reader r) {
    const auto nm = r.numbers("nm"), value = r.numbers("value");
    r.finish();
    return Spectrum::from_samples(nm, value);
}

// "window", or {"daylight": K}, {"planck": K}, {"led": K}, {"spectrum": {...}}
Spectrum parse_light(Reader& scene, std::string& name) {
    const json* v = scene.get("light");
    if (!v) scene.child_fail("light", "is missing");
    if (v->is_string()) return light_named(name = v->get<std::string>());
    Reader r = scene.child("light", *v);
    Spectrum s;
    if (r.get("daylight")) s = colour::daylight(r.number("daylight", 0, 4000, 25000));
    else if (r.get("planck")) s = colour::planck(r.number("planck", 0, 1000, 25000));
    else if (r.get("led")) s = colour::led(r.number("led", 0, 2500, 7000));
    else if (const json* samples = r.get("spectrum")) s = spectrum(r.child("spectrum", *samples));
    else r.fail("needs daylight, planck, led or spectrum");
    name = r.text("name", "light");
    r.finish();
    return s;
}

// {"lab": [L, a, b]} (D50), {"grey": Y}, {"random": seed} or {"spectrum": {...}}; also [L, a, b] alone.
Spectrum parse_surface(Reader& owner, const char* key, const Spectrum& fallback) {
    const json* v = owner.get(key);
    if (!v) return fallback;
    const auto from_lab = [](const std::vector<double>& lab) {
        return colour::smooth_reflectance(colour::xyz_from_lab({lab[0], lab[1], lab[2]}));
    };
    if (v->is_array()) return from_lab(owner.numbers(key, 3));
    Reader r = owner.child(key, *v);
    Spectrum s = fallback;
    if (r.get("lab")) s = from_lab(r.numbers("lab", 3));
    else if (r.get("grey")) s = Spectrum::constant(r.number("grey", 0, 0, 1));
    else if (r.get("random")) s = random_reflectance(static_cast<std::uint64_t>(r.number("random", 0, 0, 1e15)));
    else if (const json* samples = r.get("spectrum")) s = spectrum(r.child("spectrum", *samples));
    else r.fail("needs lab, grey, random or spectrum");
    r.finish();
    return s;
}

Texture parse_texture(Reader& r) { return {r.number("texture", 0, 0, 1), r.number("texture_px", 4, 1, 1000)}; }

DngKind dng_kind(Reader r) {
    DngKind k;
    k.mosaic = r.text("mosaic", k.mosaic);
    const auto one_of = [](const auto& value, auto... all) { return ((value == all) || ...); };
    if (!one_of(k.mosaic, "rggb", "bggr", "grbg", "gbrg", "6x6", "none"))
        r.child_fail("mosaic", "must be rggb, bggr, grbg, gbrg, 6x6 or none");
    k.bits = static_cast<int>(r.number("bits", k.bits, 12, 16));
    if (!one_of(k.bits, 12, 16)) r.child_fail("bits", "must be 12 or 16");
    const auto whole = [&](const char* key, std::array<int, 4>& to, int most) {
        const auto n = r.get(key) ? r.numbers(key, 4) : std::vector<double>{};
        for (std::size_t i = 0; i < n.size(); ++i) {
            if (n[i] < 0 || n[i] > most) r.child_fail(key, formatted("must be numbers from 0 to {}", most));
            to[i] = static_cast<int>(n[i]);
        }
    };
    whole("black", k.black, 1000);
    whole("border", k.border, 500);
    k.orientation = static_cast<int>(r.number("orientation", 1, 1, 8));
    if (!one_of(k.orientation, 1, 3, 6, 8)) r.child_fail("orientation", "must be 1, 3, 6 or 8");
    k.big_endian = r.flag("big_endian");
    k.preview_px = static_cast<int>(r.number("preview_px", k.preview_px, 0, 20000));
    r.finish();
    return k;
}

Camera parse_camera(Reader& scene) {
    const json* v = scene.get("camera");
    if (!v) scene.child_fail("camera", "is missing");
    if (v->is_string()) return camera_named(v->get<std::string>());
    Reader r = scene.child("camera", *v);
    Camera c;
    c.id = r.text("id", "camera");
    c.make = r.text("make", "Simulated");
    c.model = r.text("model", c.id);
    c.serial_number = r.text("serial_number", "");
    c.black_level = static_cast<int>(r.number("black_level", 512, 0, 8000));
    c.white_level = static_cast<int>(r.number("white_level", 15871, 8001, 16383));
    c.full_well_e = r.number("full_well_e", 50000, 100, 1e7);
    c.read_noise_e = r.number("read_noise_e", 4, 0, 1e4);
    c.base_iso = r.number("base_iso", 100, 1, 1e5);
    const json* sensitivity = r.get("sensitivity");
    if (!sensitivity) r.child_fail("sensitivity", "is missing");
    Reader s = r.child("sensitivity", *sensitivity);
    const auto nm = s.numbers("nm");
    const char* keys[] = {"r", "g", "b"};
    for (std::size_t k = 0; k < 3; ++k) {
        c.sensitivity[k] = Spectrum::from_samples(nm, s.numbers(keys[k], nm.size()));
        if (!(c.sensitivity[k].vector().minCoeff() >= 0 && c.sensitivity[k].vector().sum() > 0))
            s.child_fail(keys[k], "must be positive");
    }
    s.finish();
    r.finish();
    return c;
}

Object parse_object(Reader r) {
    Object o;
    const std::string shape = r.text("shape", "rectangle");
    if (shape == "rectangle") o.shape = Object::Shape::rectangle;
    else if (shape == "ellipse") o.shape = Object::Shape::ellipse;
    else if (shape == "leaf") o.shape = Object::Shape::leaf;
    else if (shape == "frond") o.shape = Object::Shape::frond;
    else r.child_fail("shape", "must be rectangle, ellipse, leaf or frond");
    const auto at = r.numbers("at", 2), size = r.numbers("size", 2);
    if (at.empty() || size.empty()) r.fail("needs \"at\": [x, y] and \"size\": [w, h]");
    o.x = at[0];
    o.y = at[1];
    o.width = size[0];
    o.height = size[1];
    o.rotation_deg = r.number("rotation_deg", 0, -3600, 3600);
    o.reflectance = parse_surface(r, "surface", o.reflectance);
    o.texture = parse_texture(r);
    o.branches = static_cast<int>(r.number("branches", 6, 1, 40));
    o.in_front = r.flag("in_front");
    r.finish();
    return o;
}

ChartInScene parse_chart(Reader r) {
    ChartInScene c;
    std::string id = r.text("id", "grid24");
    if (id.find('/') == std::string::npos && id.ends_with(".json"))
        id = (fs::absolute(r.file()).parent_path() / id).string();
    c.definition = chart::find_definition(id);
    const std::string told = r.text("reference", "");
    const chart::Reference reference =
        told.empty() ? chart::reference_of(c.definition) : chart::load_reference(r.file().parent_path() / told);
    for (const chart::Patch& p : c.definition.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end()) r.fail("has no reference value for patch " + p.id);
        const auto spectrum = reference.spectrum.find(p.id);
        c.reflectance.push_back(spectrum != reference.spectrum.end() ? spectrum->second
                                                                     : colour::smooth_reflectance(xyz->second));
    }
    if (const json* corners = r.get("corners")) {
        chart::Corners q;
        if (!corners->is_array() || corners->size() != 4) r.child_fail("corners", "must be four points [x, y]");
        for (std::size_t i = 0; i < 4; ++i) {
            const json& p = (*corners)[i];
            if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number())
                r.child_fail("corners", "must be four points [x, y]");
            q[i] = {p[0].get<double>(), p[1].get<double>()};
        }
        if (!chart::is_convex(q)) r.child_fail("corners", "must span a convex area");
        c.corners = q;
    }
    if (const auto at = r.numbers("at", 2); !at.empty()) {
        c.x = at[0];
        c.y = at[1];
    }
    c.width = r.number("width", 0.4, 0.005, 5);
    c.rotation_deg = r.number("rotation_deg", 0, -3600, 3600);
    c.tilt_deg = r.number("tilt_deg", 0, -80, 80);
    c.tilt_axis_deg = r.number("tilt_axis_deg", 90, -3600, 3600);
    c.mirrored = r.flag("mirrored");
    if (const json* faded = r.get("faded")) {
        Reader f = r.child("faded", *faded);
        for (const chart::Patch& p : c.definition.patches)
            if (const double factor = f.number(p.id.c_str(), 1, 0, 4); factor != 1) c.faded[p.id] = factor;
        f.finish();
    }
    r.finish();
    return c;
}

} // namespace

Scene parse_scene(const std::string& text, const fs::path& place, const std::string& changes) {
    json j;
    try {
        j = json::parse(text);
        if (!changes.empty()) j.merge_patch(json::parse(changes));
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this is not JSON: ") + problem.what(), place,
                    "See docs/formats.md, Scene");
    }
    Reader r(j, place, "");
    if (const json* version = r.get("refero_scene"); !version || *version != 1) r.fail("needs \"refero_scene\": 1");
    Scene s;
    if (const auto size = r.numbers("size", 2); !size.empty()) {
        if (!(size[0] >= 2 && size[1] >= 2 && size[0] * size[1] <= 2e8)) r.child_fail("size", "is out of range");
        s.width = static_cast<int>(size[0]) & ~1;
        s.height = static_cast<int>(size[1]) & ~1;
    }
    s.seed = static_cast<std::uint64_t>(r.number("seed", 1, 0, 1e15));
    s.camera = parse_camera(r);
    s.light = parse_light(r, s.light_name);
    s.white = r.number("white", s.white, 1e-4, 100);
    s.iso = r.number("iso", s.iso, 1, 1e6);
    s.exposure_s = r.number("exposure_s", s.exposure_s, 1e-6, 1e4);
    s.f_number = r.number("f_number", s.f_number, 0.5, 200);
    s.balance_k = r.number("balance_k", 0, 0, 25000);
    if (s.balance_k != 0 && s.balance_k < 1000) r.child_fail("balance_k", "must be 1000 or more");
    s.taken = r.text("taken", s.taken);
    if (const json* lens = r.get("lens")) {
        Reader l = r.child("lens", *lens);
        s.lens = l.text("name", s.lens);
        s.focal_mm = l.number("focal_mm", s.focal_mm, 1, 2000);
        s.focal_35mm_mm = l.number("focal_35mm_mm", s.focal_mm, 1, 3000);
        s.blur_px = l.number("blur_px", s.blur_px, 0, 100);
        s.vignetting_stops = l.number("vignetting_stops", s.vignetting_stops, 0, 6);
        l.finish();
    }
    s.falloff_stops = r.number("falloff_stops", 0, 0, 6);
    s.falloff_deg = r.number("falloff_deg", 0, -3600, 3600);
    if (const json* background = r.get("background")) {
        Reader b = r.child("background", *background);
        s.background = parse_surface(b, "surface", s.background);
        s.background_texture = parse_texture(b);
        b.finish();
    }
    const auto each = [&](const char* key, const auto& take) {
        const json* list = r.get(key);
        if (!list) return;
        if (!list->is_array()) r.child_fail(key, "must be a list");
        for (std::size_t i = 0; i < list->size(); ++i)
            take(r.child((std::string(key) + "[" + std::to_string(i) + "]").c_str(), (*list)[i]));
    };
    each("objects", [&](Reader o) { s.objects.push_back(parse_object(std::move(o))); });
    each("charts", [&](Reader c) { s.charts.push_back(parse_chart(std::move(c))); });
    each("shadows", [&](Reader o) {
        Shadow shadow;
        if (const auto at = o.numbers("at", 2); !at.empty()) {
            shadow.x = at[0];
            shadow.y = at[1];
        }
        shadow.angle_deg = o.number("angle_deg", 0, -3600, 3600);
        shadow.stops = o.number("stops", 1, 0, 10);
        shadow.soft_px = o.number("soft_px", shadow.soft_px, 0.1, 2000);
        o.finish();
        s.shadows.push_back(shadow);
    });
    each("sheens", [&](Reader o) {
        Sheen sheen;
        if (const auto at = o.numbers("at", 2); !at.empty()) {
            sheen.x = at[0];
            sheen.y = at[1];
        }
        sheen.size = o.number("size", sheen.size, 0.0005, 1);
        sheen.strength = o.number("strength", sheen.strength, 0, 20);
        o.finish();
        s.sheens.push_back(sheen);
    });
    s.veil = r.number("veil", 0, 0, 2);
    if (r.flag("linear_dng")) s.dng.mosaic = "none";
    if (const json* kind = r.get("dng")) s.dng = dng_kind(r.child("dng", *kind));
    if (const json* second = r.get("second_light")) {
        Reader o = r.child("second_light", *second);
        std::string ignored;
        SecondLight l{parse_light(o, ignored)};
        l.share = o.number("share", 0.3, 0, 1);
        l.angle_deg = o.number("angle_deg", 0, -3600, 3600);
        o.finish();
        s.second_light = l;
    }
    r.finish();
    return s;
}

Scene load_scene(const fs::path& file, const std::string& changes) {
    return parse_scene(read_file(file, 16 << 20), file, changes);
}

} // namespace refero::simulate
