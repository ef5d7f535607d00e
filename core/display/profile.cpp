// A display's profile: matrix and curves, and a table where its channels do not add up (ICC.1:2001-04 lut16Type and
// ICC.1:2010 lutAToBType, through lcms2).
#include <cmath>
#include <memory>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <lcms2.h>

#include "display/internal/measure.hpp"

namespace refero::display {

namespace fs = std::filesystem;
using colour::Vec3;

namespace {

using Beyond = Eigen::Matrix<double, 6, 1>;

constexpr double ridge = 1e-4;              ///< on `beyond`, against patches of weight 1
constexpr double dark_share = 0.02;         ///< of white: darker patches weigh no more, as CIELAB's lightness flattens
constexpr double table_share = 0.9;         ///< of the matrix's error on colours that a table must stay under to pay
constexpr double table_gain = 0.1;          ///< CIEDE2000 that it must bring
constexpr int nodes = 33;                   ///< of the table, along each side
constexpr double pcs_one = 32768.0 / 65535; ///< what XYZ of 1 is in a profile's 16 bits (u1Fixed15)

/// Light of each channel, of codes 0 to 1.
Vec3 light_of(const Display& d, const Vec3& rgb) {
    Vec3 light;
    for (int c = 0; c < 3; ++c) {
        const auto& steps = d.curves[static_cast<std::size_t>(c)];
        const double at = std::clamp(rgb[c], 0.0, 1.0) * static_cast<double>(steps.size() - 1);
        const auto low = std::min(static_cast<std::size_t>(at), steps.size() - 2);
        light[c] = steps[low] + (at - static_cast<double>(low)) * (steps[low + 1] - steps[low]);
    }
    return light;
}

/// Of each channel and of each two channels, what is above the weakest of the three: nothing on greys, in proportion
/// to the light, and straight within each order of the channels, so that tetrahedra of a table hold it exactly.
Beyond above_grey(const Vec3& light) {
    const double grey = light.minCoeff();
    Beyond f;
    f << light[0] - grey, light[1] - grey, light[2] - grey, std::min(light[0], light[1]) - grey,
        std::min(light[1], light[2]) - grey, std::min(light[2], light[0]) - grey;
    return f;
}

/// XYZ relative to D50 of a display's light; with a table also what its channels do beyond adding up.
Vec3 seen(const Display& d, const Vec3& light, bool table) {
    Vec3 xyz = d.to_xyz_d50 * light;
    if (table) xyz += d.beyond * above_grey(light);
    return xyz;
}

/// The light that shows what `light` would show if the channels added up; within what the display can do.
Vec3 asked_for(const Display& d, const Vec3& light) {
    constexpr int steps = 60;
    constexpr double damped = 0.7;
    const Eigen::Matrix<double, 3, 6> off = d.to_xyz_d50.inverse() * d.beyond;
    Vec3 found = light;
    for (int i = 0; i < steps; ++i) found += damped * (light - off * above_grey(found) - found);
    return found.cwiseMax(0).cwiseMin(1);
}

struct Freed {
    void operator()(cmsPipeline* p) const { cmsPipelineFree(p); }
    void operator()(cmsToneCurve* c) const { cmsFreeToneCurve(c); }
    void operator()(void* profile) const { cmsCloseProfile(profile); }
};
struct TransformFreed {
    void operator()(void* transform) const { cmsDeleteTransform(transform); }
};
using Curve = std::unique_ptr<cmsToneCurve, Freed>;

/// In 16 bits, as it is kept: version 4 takes no other tables.
Curve curve_of(const std::vector<double>& steps) {
    std::vector<cmsUInt16Number> values;
    for (const double v : steps)
        values.push_back(static_cast<cmsUInt16Number>(std::lround(65535 * std::clamp(v, 0.0, 1.0))));
    return Curve(cmsBuildTabulatedToneCurve16(nullptr, static_cast<cmsUInt32Number>(values.size()), values.data()));
}

cmsStage* curves_stage(const std::array<Curve, 3>& curves) {
    cmsToneCurve* const all[] = {curves[0].get(), curves[1].get(), curves[2].get()};
    return cmsStageAllocToneCurves(nullptr, 3, all);
}

cmsStage* matrix_stage(const colour::Mat3& m) {
    double rows[9];
    for (int i = 0; i < 9; ++i) rows[i] = m(i / 3, i % 3);
    return cmsStageAllocMatrix(nullptr, 3, 3, rows, nullptr);
}

/// A table over the unit cube, red slowest.
template<class F>
cmsStage* table_stage(const F& value) {
    std::vector<cmsUInt16Number> all;
    all.reserve(3 * nodes * nodes * nodes);
    for (int i = 0; i < nodes * nodes * nodes; ++i) {
        const int red = i / (nodes * nodes), green = i / nodes % nodes, blue = i % nodes;
        const Vec3 at = Vec3(red, green, blue) / (nodes - 1);
        const Vec3 v = value(at);
        for (int c = 0; c < 3; ++c)
            all.push_back(static_cast<cmsUInt16Number>(std::lround(65535 * std::clamp(v[c], 0.0, 1.0))));
    }
    return cmsStageAllocCLut16bit(nullptr, nodes, 3, 3, all.data());
}

bool write_pipeline(cmsHPROFILE profile, cmsTagSignature tag, std::initializer_list<cmsStage*> stages) {
    const std::unique_ptr<cmsPipeline, Freed> pipeline(cmsPipelineAlloc(nullptr, 3, 3));
    for (cmsStage* s : stages) cmsPipelineInsertStage(pipeline.get(), cmsAT_END, s);
    return cmsWriteTag(profile, tag, pipeline.get());
}

/// Codes to XYZ by curves and a table of light; XYZ to codes by the matrix, inverse curves and a table of codes. Both
/// versions take the same stages, but that version 4 asks for curves about its matrix.
bool write_tables(cmsHPROFILE profile, const Display& d, int icc_version) {
    constexpr int inverse_steps = 4096;
    std::array<Curve, 3> forward, inverse, straight;
    for (std::size_t c = 0; c < 3; ++c) {
        forward[c] = curve_of(d.curves[c]);
        inverse[c] = Curve(cmsReverseToneCurveEx(inverse_steps, forward[c].get()));
        straight[c] = Curve(cmsBuildGamma(nullptr, 1.0));
    }
    const auto codes_of = [&](const Vec3& light) {
        Vec3 codes;
        for (int c = 0; c < 3; ++c)
            codes[c] = static_cast<double>(
                cmsEvalToneCurveFloat(inverse[static_cast<std::size_t>(c)].get(), static_cast<float>(light[c])));
        return codes;
    };
    cmsStage* to_xyz = table_stage([&](const Vec3& light) { return Vec3(pcs_one * seen(d, light, true)); });
    cmsStage* to_codes = table_stage([&](const Vec3& codes) { return codes_of(asked_for(d, light_of(d, codes))); });
    cmsStage* to_light = matrix_stage(d.to_xyz_d50.inverse() / pcs_one);
    if (icc_version == 2)
        return write_pipeline(profile, cmsSigAToB0Tag, {curves_stage(forward), to_xyz, curves_stage(straight)}) &&
               write_pipeline(profile, cmsSigBToA0Tag,
                              {to_light, curves_stage(inverse), to_codes, curves_stage(straight)});
    return write_pipeline(profile, cmsSigAToB0Tag,
                          {curves_stage(forward), to_xyz, curves_stage(straight),
                           matrix_stage(colour::Mat3::Identity()), curves_stage(straight)}) &&
           write_pipeline(profile, cmsSigBToA0Tag,
                          {curves_stage(straight), to_light, curves_stage(inverse), to_codes, curves_stage(straight)});
}

/// Read back, a profile says what was put in, both ways.
void verify(const std::string& bytes, const Display& d, bool table, const fs::path& file) {
    constexpr double most_off = 2e-3, most_code_off = 0.01;
    const std::unique_ptr<void, Freed> own(
        cmsOpenProfileFromMem(bytes.data(), static_cast<cmsUInt32Number>(bytes.size()))),
        xyz(cmsCreateXYZProfile());
    const auto between = [&](cmsHPROFILE from, cmsUInt32Number from_type, cmsHPROFILE to, cmsUInt32Number to_type) {
        return std::unique_ptr<void, TransformFreed>(
            own ? cmsCreateTransform(from, from_type, to, to_type, INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE)
                : nullptr);
    };
    const auto there = between(own.get(), TYPE_RGB_DBL, xyz.get(), TYPE_XYZ_DBL),
               back = between(xyz.get(), TYPE_XYZ_DBL, own.get(), TYPE_RGB_DBL);
    double off = there && back ? 0 : INFINITY, code_off = 0;
    if (off == 0)
        for (const Vec3& rgb : {Vec3(1, 1, 1), Vec3(0.5, 0.5, 0.5), Vec3(0.9, 0.3, 0.15), Vec3(0.15, 0.4, 0.9)}) {
            cmsCIEXYZ got;
            cmsDoTransform(there.get(), rgb.data(), &got, 1);
            off = std::max(off, (Vec3(got.X, got.Y, got.Z) - seen(d, light_of(d, rgb), table)).cwiseAbs().maxCoeff());
            Vec3 again;
            cmsDoTransform(back.get(), &got, again.data(), 1);
            code_off = std::max(code_off, (again - rgb).cwiseAbs().maxCoeff());
        }
    if (!(off < most_off) || !(code_off < most_code_off))
        throw Error(
            ErrorKind::internal,
            formatted("the display profile does not read back as it was made ({:g}, codes {:g})", off, code_off), file,
            "Measure the display again");
}

} // namespace

void profile_it(Display& d, const std::vector<Patch>& patches, const colour::Mat3& adapt, const Vec3& black,
                const Vec3& white) {
    const Vec3 floor = adapt * black / white[1];
    const auto error = [&](const Vec3& made, const Patch& p) {
        return colour::delta_e_2000(colour::lab_from_xyz(made), colour::lab_from_xyz(adapt * p.xyz / white[1]));
    };
    Eigen::Matrix<double, 6, 6> sums = ridge * Eigen::Matrix<double, 6, 6>::Identity();
    Eigen::Matrix<double, 6, 3> right = Eigen::Matrix<double, 6, 3>::Zero();
    std::vector<double> plain, weights;
    std::vector<Beyond> features;
    std::vector<Vec3> off;
    for (const Patch& p : patches) {
        const Vec3 light = light_of(d, p.rgb), made = d.to_xyz_d50 * light + floor, measured = adapt * p.xyz / white[1];
        plain.push_back(error(made, p));
        features.push_back(above_grey(light));
        off.push_back(measured - made);
        weights.push_back(1 / std::pow(std::max(measured[1], 0.0) + dark_share, 2));
        sums += weights.back() * features.back() * features.back().transpose();
        right += weights.back() * features.back() * off.back().transpose();
    }
    const Eigen::LDLT<Eigen::Matrix<double, 6, 6>> solved(sums);
    d.beyond = solved.solve(right).transpose();
    d.after_profile = fit::statistics(plain);
    std::vector<double> left_out, colours, colours_left_out; // greys tell nothing of what channels do to one another
    for (std::size_t i = 0; i < patches.size(); ++i) {
        // What is left at a patch that had no say (Allen 1974, PRESS).
        const double say = std::min(0.9, weights[i] * features[i].dot(Beyond(solved.solve(features[i]))));
        const Vec3 left = (off[i] - d.beyond * features[i]) / (1 - say);
        left_out.push_back(error(adapt * patches[i].xyz / white[1] - left, patches[i]));
        if (is_grey(patches[i])) continue;
        colours.push_back(plain[i]);
        colours_left_out.push_back(left_out.back());
    }
    d.after_table = fit::statistics(left_out);
    const double by_matrix = fit::statistics(colours).mean, by_table = fit::statistics(colours_left_out).mean;
    d.table_pays = by_table < table_share * by_matrix && by_matrix - by_table > table_gain;
}

void write_profile(const Display& d, const std::string& title, const fs::path& file, Existing existing,
                   const ProfileOptions& options) {
    if (options.icc_version != 2 && options.icc_version != 4)
        throw Error(ErrorKind::usage, "profiles are of ICC version 2 or 4", {}, "Give 2 or 4");
    const bool table = options.table.value_or(d.table_pays);
    const std::unique_ptr<void, Freed> profile(cmsCreateProfilePlaceholder(nullptr));
    cmsSetProfileVersion(profile.get(), options.icc_version == 2 ? 2.4 : 4.3);
    cmsSetDeviceClass(profile.get(), cmsSigDisplayClass);
    cmsSetColorSpace(profile.get(), cmsSigRgbData);
    cmsSetPCS(profile.get(), cmsSigXYZData);
    cmsMLU* text = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(text, "en", "US", title.c_str());
    cmsWriteTag(profile.get(), cmsSigProfileDescriptionTag, text);
    cmsMLUsetASCII(text, "en", "US", "No copyright, use freely");
    cmsWriteTag(profile.get(), cmsSigCopyrightTag, text);
    cmsMLUfree(text);
    cmsWriteTag(profile.get(), cmsSigMediaWhitePointTag, cmsD50_XYZ());
    if (options.icc_version == 4) { // how the display's white was brought to D50
        const colour::Mat3 adapt = colour::adaptation(
            Vec3(d.white.x / d.white.y, 1, (1 - d.white.x - d.white.y) / d.white.y), colour::white_d50);
        cmsCIEXYZ rows[3];
        for (int i = 0; i < 3; ++i) rows[i] = {adapt(i, 0), adapt(i, 1), adapt(i, 2)};
        cmsWriteTag(profile.get(), cmsSigChromaticAdaptationTag, rows);
    }
    const cmsTagSignature colorants[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag};
    const cmsTagSignature curves[] = {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag};
    for (int k = 0; k < 3; ++k) {
        const cmsCIEXYZ xyz{d.to_xyz_d50(0, k), d.to_xyz_d50(1, k), d.to_xyz_d50(2, k)};
        cmsWriteTag(profile.get(), colorants[k], &xyz);
        cmsWriteTag(profile.get(), curves[k], curve_of(d.curves[static_cast<std::size_t>(k)]).get());
    }
    cmsUInt32Number size = 0;
    std::string bytes;
    if ((!table || write_tables(profile.get(), d, options.icc_version)) &&
        cmsSaveProfileToMem(profile.get(), nullptr, &size)) {
        bytes.resize(size);
        cmsSaveProfileToMem(profile.get(), bytes.data(), &size);
    }
    if (bytes.empty()) throw Error(ErrorKind::internal, "the display profile could not be made", file);
    verify(bytes, d, table, file);
    write_whole(file, bytes, existing);
}

} // namespace refero::display
