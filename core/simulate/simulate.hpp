// A simulated set: lights, surfaces and cameras by their spectra, a chart in perspective, faults and noise.
#pragma once

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "chart/geometry.hpp"
#include "colour/colour.hpp"
#include "frame/frame.hpp"
#include "simulate/studio.hpp"

namespace refero::simulate {

using colour::Spectrum;
using colour::Vec3;

/// A camera by its spectral sensitivities (relative, R G B) and sensor.
struct Camera {
    std::string id, make, model, serial_number;
    std::array<Spectrum, 3> sensitivity;
    int black_level = 512;      ///< raw code of no light
    int white_level = 15871;    ///< raw code of saturation, at most 16383
    double full_well_e = 50000; ///< electrons at saturation, base ISO
    double read_noise_e = 4;    ///< root mean square, electrons, base ISO
    double base_iso = 100;
    /// Response to a reflectance under a light, 1 for the perfect diffuser in the largest channel.
    Vec3 response(const Spectrum& reflectance, const Spectrum& light) const;
    /// XYZ under D65 to camera RGB, least squares over smooth reflectances; its neutral's largest channel is 1.
    colour::Mat3 camera_from_xyz_d65() const;
};

/// Built-in cameras: stills-a, stills-b, cine-a, cine-b. Throws Error(usage) listing them.
const Camera& camera_named(const std::string& id);
/// Built-in lights: window tungsten led flash fluorescent. Throws Error(usage) listing them.
Spectrum light_named(const std::string& name);

/// A plausible reflectance that no chart holds: sums of smooth steps and bands; by seed.
Spectrum random_reflectance(std::uint64_t seed);

struct Texture {
    double amplitude = 0; ///< relative, 0 to 1
    double scale_px = 4;
};

struct Object {
    enum class Shape { rectangle, ellipse, leaf, frond } shape = Shape::rectangle;
    double x = 0.5, y = 0.5;          ///< centre, shares of the frame's width and height
    double width = 0.1, height = 0.1; ///< shares of the frame's width
    double rotation_deg = 0;
    Spectrum reflectance = Spectrum::constant(0.5);
    Texture texture;
    int branches = 6;      ///< frond only
    bool in_front = false; ///< of the charts
};

struct ChartInScene {
    chart::Definition definition;
    std::vector<Spectrum> reflectance;     ///< a patch each
    std::optional<chart::Corners> corners; ///< given outright, else from what follows
    double x = 0.5, y = 0.5;               ///< centre, shares of the frame
    double width = 0.4;                    ///< of the patch array facing the camera, share of the frame's width
    double rotation_deg = 0;               ///< clockwise on screen
    double tilt_deg = 0;                   ///< about an axis in the chart's plane ...
    double tilt_axis_deg = 90;             ///< ... at this angle to the frame's horizontal: 90 turns left and right
    bool mirrored = false;
    std::map<std::string, double> faded; ///< by patch: factor on its reflectance (dirt, fading)
};

/// A shadow with a straight edge.
struct Shadow {
    double x = 0.5, y = 0.5; ///< a point of its edge, shares of the frame
    double angle_deg = 0;    ///< of the direction into the shadow, clockwise on screen from the right
    double stops = 0;        ///< of light lost in it
    double soft_px = 6;      ///< width of its edge
};
/// A lamp's reflection, a soft spot of the light's own colour.
struct Sheen {
    double x = 0.5, y = 0.5; ///< shares of the frame
    double size = 0.05;      ///< standard deviation, share of the frame's width
    double strength = 0.3;   ///< in its middle, share of the perfect diffuser's signal
};
/// A second light that grows across the frame.
struct SecondLight {
    Spectrum light;
    double share = 0;     ///< of the light at the far end
    double angle_deg = 0; ///< of the direction in which it grows
};

/// How a DNG holds the frame.
struct DngKind {
    std::string mosaic = "rggb"; ///< order of the colours in a 2 x 2, "6x6", or "none": all colours of every pixel
    int bits = 16;               ///< of a sample: 16, or 12, packed
    std::array<int, 4> black{};  ///< codes more than the camera's black at each place of a 2 x 2; mosaics only
    std::array<int, 4> border{}; ///< masked pixels: top, left, bottom, right
    int orientation = 1;         ///< EXIF: 1, 3, 6 or 8
    bool big_endian = false;
    int preview_px =
        1500; ///< width of the JPEG in it, at most the frame's; 0: none. Frames under a megapixel have none
};

struct Scene {
    int width = 3000, height = 2000;
    std::uint64_t seed = 1;
    Camera camera;
    std::string light_name;
    Spectrum light;
    double white = 0.8; ///< signal of a perfect diffuser in the largest channel, 1 = saturation
    double iso = 100, exposure_s = 0.01, f_number = 8;
    double balance_k = 0; ///< light that the camera is balanced for: Planckian below 4000 K, else daylight; 0: its own
    std::string lens = "Lens 50 mm";
    double focal_mm = 50, focal_35mm_mm = 50;
    double blur_px = 0.7;          ///< standard deviation of the lens's point spread
    double vignetting_stops = 0.3; ///< loss in the corners
    double falloff_stops = 0;      ///< loss of light across the frame ...
    double falloff_deg = 0;        ///< ... in this direction
    std::string taken = "2026-05-04T10:00:00";
    Spectrum background = Spectrum::constant(0.3);
    Texture background_texture;
    std::vector<Object> objects;
    std::vector<ChartInScene> charts;
    std::vector<Shadow> shadows;
    std::vector<Sheen> sheens;
    DngKind dng;
    double veil = 0; ///< stray light over the whole frame, share of the perfect diffuser's signal
    std::optional<SecondLight> second_light;
    std::optional<Studio> studio; ///< lights the first chart's plane; `white` then is at irradiance 1
    /// The light that the camera's as-shot balance is for.
    Spectrum balanced_for() const;
};

/// Reads a scene description (docs/formats.md), with changes to it as a JSON merge patch (RFC 7396).
/// Throws Error(input) naming file, place and remedy.
Scene load_scene(const std::filesystem::path& file, const std::string& changes = {});
/// The same from JSON text; `place` stands for the file in messages.
Scene parse_scene(const std::string& json, const std::filesystem::path& place, const std::string& changes = {});

/// What is true of a rendered chart.
struct TruePatch {
    std::string id;
    std::array<double, 3> mean{}; ///< noise-free, over the central half of the patch, clipped at 1
    std::array<double, 3> sd{};
    double clipped = 0;
    int pixels = 0;
};
struct TrueChart {
    std::string chart;
    chart::Corners corners;
    double tilt_deg = 0, frame_fraction = 0;
    bool mirrored = false;
    std::vector<TruePatch> patches;
};

/// Noise-free camera RGB of a scene before clipping, width * height * 3, and its truth.
struct Rendering {
    Scene scene;
    std::vector<float> rgb;
    std::vector<TrueChart> charts;
};
Rendering render(const Scene& scene, std::stop_token stop = {});

/// Writes the frame by its extension: .dng (14-bit RGGB), .tif (16-bit, linear profile) or .exr (float), with
/// noise by the scene's seed, and FILE.truth.json beside it.
void write(const Rendering& rendering, const std::filesystem::path& file);
/// The text of that truth file.
std::string truth_of(const Rendering& rendering);

} // namespace refero::simulate
