// ICC input profile: a matrix and curves, or for models beyond one a grid to CIELAB with curves before it.
#include <cmath>

#include <lcms2.h>

#include "colour/icc.hpp"
#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

constexpr int grid = 33, curve_size = 4096;
constexpr double root = 2.4;      ///< of the curve before the grid: its nodes lie as the eye sees
constexpr double lab_ends_at = 1; ///< Y that L* 100 stands for: what is lighter is cut off

/// Nodes in the 16-bit coding of the version: L* 100 is 0xFF00 in version 2, 0xFFFF in version 4.
std::vector<cmsUInt16Number> nodes_of(const fit::Correction& c, int version) {
    std::vector<cmsUInt16Number> nodes;
    const auto coded = [&](double v, double scale, double offset) {
        return static_cast<cmsUInt16Number>(std::clamp(std::lround((v + offset) * scale), 0L, 65535L));
    };
    for (int r = 0; r < grid; ++r)
        for (int g = 0; g < grid; ++g)
            for (int b = 0; b < grid; ++b) {
                const auto light = [](int i) { return std::pow(static_cast<double>(i) / (grid - 1), root); };
                const colour::Vec3 xyz = c(colour::Vec3(light(r), light(g), light(b)));
                const colour::Vec3 lab = colour::lab_from_xyz(xyz.cwiseMax(0) / lab_ends_at);
                const double l = std::min(lab[0], 100.0);
                nodes.push_back(version == 4 ? coded(l, 655.35, 0) : coded(l, 652.8, 0));
                nodes.push_back(version == 4 ? coded(lab[1], 257, 128) : coded(lab[1], 256, 128));
                nodes.push_back(version == 4 ? coded(lab[2], 257, 128) : coded(lab[2], 256, 128));
            }
    return nodes;
}

cmsToneCurve* tabulated(const std::function<double(double)>& f) {
    std::vector<cmsUInt16Number> values(curve_size);
    for (int i = 0; i < curve_size; ++i)
        values[static_cast<std::size_t>(i)] = static_cast<cmsUInt16Number>(
            std::lround(65535 * std::clamp(f(static_cast<double>(i) / (curve_size - 1)), 0.0, 1.0)));
    return cmsBuildTabulatedToneCurve16(nullptr, curve_size, values.data());
}

std::string lut_profile(const fit::Correction& c, const frame::Encoding& input, const Options& o) {
    cmsHPROFILE profile = cmsCreateProfilePlaceholder(nullptr);
    cmsSetProfileVersion(profile, o.icc_version == 4 ? 4.3 : 2.4);
    cmsSetDeviceClass(profile, cmsSigInputClass);
    cmsSetColorSpace(profile, cmsSigRgbData);
    cmsSetPCS(profile, cmsSigLabData);
    cmsMLU* text = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(text, "en", "US", o.name.c_str());
    cmsWriteTag(profile, cmsSigProfileDescriptionTag, text);
    cmsMLUsetASCII(text, "en", "US", "Made with Refero; free to use");
    cmsWriteTag(profile, cmsSigCopyrightTag, text);
    cmsMLUfree(text);
    cmsWriteTag(profile, cmsSigMediaWhitePointTag, cmsD50_XYZ());
    if (o.icc_version == 4) {
        const cmsCIEXYZ unit[3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
        cmsWriteTag(profile, cmsSigChromaticAdaptationTag, unit);
    }
    cmsPipeline* pipeline = cmsPipelineAlloc(nullptr, 3, 3);
    cmsToneCurve* before[3];
    for (int k = 0; k < 3; ++k)
        before[k] = tabulated([&](double v) { return std::pow(std::max(0.0, input.decode(k, v)), 1 / root); });
    cmsToneCurve* straight = cmsBuildGamma(nullptr, 1);
    cmsToneCurve* after[3] = {straight, straight, straight};
    const auto nodes = nodes_of(c, o.icc_version);
    cmsPipelineInsertStage(pipeline, cmsAT_END, cmsStageAllocToneCurves(nullptr, 3, before));
    cmsPipelineInsertStage(pipeline, cmsAT_END, cmsStageAllocCLut16bit(nullptr, grid, 3, 3, nodes.data()));
    cmsPipelineInsertStage(pipeline, cmsAT_END, cmsStageAllocToneCurves(nullptr, 3, after));
    const bool kept = cmsWriteTag(profile, cmsSigAToB0Tag, pipeline);
    cmsPipelineFree(pipeline);
    for (cmsToneCurve* curve : before) cmsFreeToneCurve(curve);
    cmsFreeToneCurve(straight);
    cmsUInt32Number size = 0;
    std::string bytes;
    if (kept && cmsSaveProfileToMem(profile, nullptr, &size)) {
        bytes.resize(size);
        cmsSaveProfileToMem(profile, bytes.data(), &size);
    }
    cmsCloseProfile(profile);
    if (bytes.empty()) throw Error(ErrorKind::internal, "the ICC profile '" + o.name + "' could not be made");
    return bytes;
}

void write_icc(const fit::Correction& c, const std::filesystem::path& file, const Options& o) {
    const frame::Encoding input = frame::Encoding::named(o.input_encoding.empty() ? "linear" : o.input_encoding);
    if (!c.is_matrix()) return write_whole(file, lut_profile(c, input, o));
    const auto bytes =
        colour::icc_profile(colour::IccClass::input, xyz_from_camera(c),
                            colour::transfer_named(o.input_encoding.empty() ? "linear" : o.input_encoding), o.name,
                            "Made with Refero; free to use", o.icc_version);
    write_whole(file, std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
}

} // namespace

Format icc_format() {
    return {.id = "icc",
            .title = "ICC input profile",
            .extension = ".icc",
            .what =
                "For raw developers and scanners that take ICC profiles: linear camera RGB to CIE XYZ by a matrix, or "
                "to CIELAB by a grid for models beyond one, which ends at the perfect diffuser's white.",
            .next = "Start the program again, and choose it as the input profile of this camera's raw files.",
            .curves = true,
            .order = 2,
            .options = {Option::input_encoding, Option::icc_version},
            .input_encoding = "linear",
            .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                        const Options& options, Written&) { write_icc(held, file, options); }};
}

} // namespace refero::handover
