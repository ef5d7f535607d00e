// OpenColorIO configuration, version 2: the setup's camera as a colour space, its files beside it.
#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>
#include <fstream>
#include <sstream>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

namespace ocio = OCIO_NAMESPACE;
namespace fs = std::filesystem;

/// ACES2065-1, the reference of scenes (SMPTE ST 2065-1): primaries AP0.
const colour::RgbSpace ap0{"aces2065-1",      {0.7347, 0.2653},   {0.0, 1.0},
                           {0.0001, -0.0770}, {0.32168, 0.33767}, colour::Transfer::linear};

void add_space(const ocio::ConfigRcPtr& config, const std::string& name, const std::string& about,
               const ocio::TransformRcPtr& to_reference, const char* encoding, const char* alias = nullptr) {
    const auto space = ocio::ColorSpace::Create();
    space->setName(name.c_str());
    space->setDescription(about.c_str());
    space->setEncoding(encoding);
    if (alias) space->addAlias(alias);
    if (to_reference) space->setTransform(to_reference, ocio::COLORSPACE_DIR_TO_REFERENCE);
    config->addColorSpace(space);
}

/// A display-referred space: its curve, then its primaries, seen from the scene by no more than that.
ocio::GroupTransformRcPtr display_of(const colour::RgbSpace& s, double gamma, double offset) {
    auto group = ocio::GroupTransform::Create();
    const auto curve = ocio::ExponentWithLinearTransform::Create();
    const double g[4] = {gamma, gamma, gamma, 1}, o[4] = {offset, offset, offset, 0};
    curve->setGamma(g);
    curve->setOffset(o);
    group->appendTransform(curve);
    group->appendTransform(ocio_matrix(ap0.to_xyz_d50().inverse() * s.to_xyz_d50()));
    return group;
}

/// Returns what it has written, below the folder.
std::vector<fs::path> write_config(const fit::Correction& c, const fs::path& folder, const Options& o) {
    std::error_code ec;
    fs::create_directories(folder / "luts", ec);
    if (!fs::is_directory(folder / "luts", ec))
        throw Error(ErrorKind::internal, "this folder cannot be made", folder, "Check its permissions");
    std::string stem;
    for (const char ch : to_lower(o.name))
        stem += std::isalnum(static_cast<unsigned char>(ch)) ? ch : !stem.empty() && stem.back() != '-' ? '-' : '\0';
    std::erase(stem, '\0');
    while (stem.ends_with('-')) stem.pop_back();
    if (stem.empty()) stem = "camera";
    // The file gives codes of sRGB, not clipped: they are taken back to light and to the reference.
    Options lut = o;
    lut.space = "srgb";
    Written written; // the configuration says what it holds
    format_named("clf").write(c, c, folder / "luts" / (stem + ".clf"), lut, written);
    const auto config = ocio::Config::CreateRaw()->createEditableCopy();
    config->setVersion(2, 0);
    config->setSearchPath("luts");
    config->setDescription(("Made with Refero: " + o.name + (o.sentence.empty() ? "" : "\n" + o.sentence)).c_str());
    for (int i = config->getNumColorSpaces(); i-- > 0;) config->removeColorSpace(config->getColorSpaceNameByIndex(i));
    config->clearDisplays();
    add_space(config, "ACES2065-1", "Reference of scenes, SMPTE ST 2065-1", nullptr, "scene-linear", "aces_2065_1");
    add_space(config, "ACEScg", "Scene-linear, AP1, Academy S-2014-004",
              ocio_matrix(ap0.to_xyz_d50().inverse() * colour::rgb_space("acescg").to_xyz_d50()), "scene-linear");
    add_space(config, "Linear BT.709", "Scene-linear, BT.709 primaries",
              ocio_matrix(ap0.to_xyz_d50().inverse() * colour::rgb_space("linear-bt709").to_xyz_d50()), "scene-linear");
    add_space(config, "CIE XYZ D65", "CIE XYZ, adapted to D65",
              ocio_matrix(ap0.to_xyz_d50().inverse() *
                          colour::adaptation(colour::xyz_from({0.3127, 0.3290}), colour::white_d50)),
              "scene-linear");
    add_space(config, "sRGB", "IEC 61966-2-1", display_of(colour::rgb_space("srgb"), 2.4, 0.055), "sdr-video");
    add_space(config, "Raw", "No conversion", nullptr, "data");
    const auto raw = config->getColorSpace("Raw")->createEditableCopy();
    raw->setIsData(true);
    config->addColorSpace(raw);
    // The camera.
    const auto group = ocio::GroupTransform::Create();
    const auto file = ocio::FileTransform::Create();
    file->setSrc((stem + ".clf").c_str());
    file->setInterpolation(ocio::INTERP_BEST);
    group->appendTransform(file);
    const auto back = ocio::ExponentWithLinearTransform::Create();
    const double g[4] = {2.4, 2.4, 2.4, 1}, off[4] = {0.055, 0.055, 0.055, 0};
    back->setGamma(g);
    back->setOffset(off);
    group->appendTransform(back);
    group->appendTransform(ocio_matrix(ap0.to_xyz_d50().inverse() * colour::rgb_space("linear-bt709").to_xyz_d50()));
    add_space(config, o.name, "Camera RGB as codes, encoding " + input_of(o, c).name() + ", through its correction",
              group, "sdr-video");
    config->setRole("reference", "ACES2065-1");
    config->setRole("aces_interchange", "ACES2065-1");
    config->setRole("cie_xyz_d65_interchange", "CIE XYZ D65");
    config->setRole("scene_linear", "ACEScg");
    config->setRole("rendering", "ACEScg");
    config->setRole("compositing_linear", "ACEScg");
    config->setRole("color_timing", "sRGB");
    config->setRole("color_picking", "sRGB");
    config->setRole("texture_paint", "sRGB");
    config->setRole("matte_paint", "sRGB");
    config->setRole("data", "Raw");
    config->setRole("default", "Raw");
    config->addDisplayView("sRGB", "As it is", "sRGB", "");
    config->addDisplayView("sRGB", "Raw", "Raw", "");
    const auto rules = ocio::FileRules::Create();
    rules->setDefaultRuleColorSpace("Raw");
    config->setFileRules(rules);
    config->validate();
    std::ostringstream text;
    config->serialize(text);
    write_whole(folder / "config.ocio", text.str());
    return {"config.ocio", fs::path("luts") / (stem + ".clf")};
}

} // namespace

Format ocio_format() {
    return {
        .id = "ocio",
        .title = "OpenColorIO configuration",
        .extension = "-ocio",
        .what = "For effects and compositing: a folder with a configuration in which the setup's camera is a colour "
                "space, with scene-linear spaces and a display beside it.",
        .next = "Name config.ocio in it as the program's configuration, or in the variable OCIO, and start the program "
                "again.",
        .finish = true,
        .look = true,
        .curves = true,
        .folder = true,
        .order = 6,
        .options = {Option::input_encoding, Option::size},
        .input_encoding = "srgb",
        .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                    const Options& options, Written& w) {
            std::error_code ec;
            const bool fresh = !fs::exists(file, ec);
            try {
                w.files = write_config(held, file, options);
            } catch (const Error&) {
                if (fresh) fs::remove_all(file, ec); // nothing of a half is left
                throw;
            } catch (const ocio::Exception& problem) {
                if (fresh) fs::remove_all(file, ec);
                throw Error(ErrorKind::internal, std::string("the configuration is not valid: ") + problem.what(),
                            file);
            }
            w.message = "; config.ocio and its LUT";
        }};
}

} // namespace refero::handover
