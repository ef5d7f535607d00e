// ASC CDL: slope, offset and power for each channel and one saturation, on codes; clamped as the standard has it.
#include <ceres/ceres.h>

#include <Eigen/LU>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

using colour::Vec3;

constexpr double luma_r = 0.2126, luma_g = 0.7152, luma_b = 0.0722; // of the ASC CDL, BT.709's

struct Cdl {
    std::array<double, 3> slope{1, 1, 1}, offset{0, 0, 0}, power{1, 1, 1};
    double saturation = 1;
};

/// With the standard's clamping, or with none, for a fit that is to find its way back inside.
Vec3 applied(const Cdl& c, const Vec3& in, bool clamped) {
    Vec3 v;
    for (int k = 0; k < 3; ++k) {
        const auto i = static_cast<std::size_t>(k);
        const double linear = c.slope[i] * in[k] + c.offset[i];
        if (clamped) v[k] = std::pow(std::clamp(linear, 0.0, 1.0), c.power[i]);
        else v[k] = linear > 1e-4 ? std::pow(linear, c.power[i]) : std::pow(1e-4, c.power[i]) + linear - 1e-4;
    }
    const double luma = luma_r * v[0] + luma_g * v[1] + luma_b * v[2];
    v = Vec3::Constant(luma) + c.saturation * (v - Vec3::Constant(luma));
    return clamped ? Vec3(v.cwiseMax(0).cwiseMin(1)) : v;
}

struct Sample {
    Vec3 in, out; ///< codes
    double weight = 1;
    std::string patch; ///< that it shows
};

/// The reading's patches, which count most, and plausible colours between them at two exposures.
std::vector<Sample> samples_of(const fit::Correction& c, const Options& o) {
    const auto path = path_of(c, o);
    const frame::Encoding input = input_of(o, c);
    std::vector<Sample> all;
    for (const read::PatchReading& p : c.reading.patches) {
        if (!p.usable()) continue;
        for (const double exposure : {1.0, 0.5}) {
            Vec3 code;
            for (int k = 0; k < 3; ++k) code[k] = code_of(input, k, exposure * p.mean[static_cast<std::size_t>(k)]);
            const Vec3 out = path(code);
            if (out.minCoeff() > -0.05 && out.maxCoeff() < 1.05)
                all.push_back({code, out, exposure == 1 ? 1.0 : 0.4, p.id});
        }
    }
    return all;
}

struct Residual {
    Sample sample;
    bool operator()(const double* slope, const double* offset, const double* power, const double* saturation,
                    double* residual) const {
        Cdl c;
        for (std::size_t k = 0; k < 3; ++k) {
            c.slope[k] = slope[k];
            c.offset[k] = offset[k];
            c.power[k] = power[k];
        }
        c.saturation = *saturation;
        const Vec3 off = sample.weight * (applied(c, sample.in, false) - sample.out);
        for (int k = 0; k < 3; ++k) residual[k] = off[k];
        return true;
    }
};

Cdl fitted(const std::vector<Sample>& samples) {
    Cdl c;
    for (int k = 0; k < 3; ++k) { // a start: through the origin, by the sums
        double in = 0, out = 0;
        for (const Sample& s : samples) {
            in += s.in[k];
            out += s.out[k];
        }
        if (in > 0) c.slope[static_cast<std::size_t>(k)] = std::max(0.05, out / in);
    }
    ceres::Problem problem;
    for (const Sample& s : samples)
        problem.AddResidualBlock(
            new ceres::NumericDiffCostFunction<Residual, ceres::CENTRAL, 3, 3, 3, 3, 1>(new Residual{s}), nullptr,
            c.slope.data(), c.offset.data(), c.power.data(), &c.saturation);
    for (int k = 0; k < 3; ++k) {
        problem.SetParameterLowerBound(c.slope.data(), k, 0);
        problem.SetParameterLowerBound(c.power.data(), k, 0.1);
        problem.SetParameterUpperBound(c.power.data(), k, 10);
    }
    problem.SetParameterLowerBound(&c.saturation, 0, 0);
    ceres::Solver::Options options;
    options.logging_type = ceres::SILENT;
    options.max_num_iterations = 200;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    return c;
}

/// What it leaves on the patches of the reading with the standard's clamping, CIEDE2000: against the correction, and
/// against the reference.
struct Left {
    fit::Statistics correction, reference;
};
Left left_by(const fit::Correction& c, const Options& o, const Cdl& cdl, const std::vector<Sample>& samples) {
    const colour::RgbSpace& space = space_of(o, c);
    const auto lab = [&](const Vec3& code) {
        Vec3 light;
        for (int k = 0; k < 3; ++k) light[k] = colour::decode(space.transfer, code[k]);
        return colour::lab_from_xyz(space.to_xyz_d50() * light);
    };
    const colour::Mat3 finish = look::matrix_of(c.finish, c.light);
    std::vector<double> from_correction, from_reference;
    for (const Sample& s : samples) {
        if (s.weight < 1) continue;
        const Vec3 made = lab(applied(cdl, s.in, true));
        from_correction.push_back(colour::delta_e_2000(lab(s.out), made));
        if (const auto xyz = c.reference.xyz.find(s.patch); xyz != c.reference.xyz.end())
            from_reference.push_back(colour::delta_e_2000(colour::lab_from_xyz(finish * xyz->second), made));
    }
    return {fit::statistics(from_correction), fit::statistics(from_reference)};
}

std::string text_of(const Cdl& c, const Options& o, const fit::Correction& correction, const std::string& error) {
    std::string id;
    for (const char ch : o.name) id += std::isalnum(static_cast<unsigned char>(ch)) ? ch : '_';
    return formatted("<ColorCorrection id=\"{}\">\n    <Description>{}</Description>\n"
                     "    <InputDescription>Camera RGB as codes, encoding {}, 0 to 1</InputDescription>\n"
                     "    <ViewingDescription>{}</ViewingDescription>\n    <SOPNode>\n"
                     "        <Description>{}</Description>\n"
                     "        <Slope>{:.6f} {:.6f} {:.6f}</Slope>\n        <Offset>{:.6f} {:.6f} {:.6f}</Offset>\n"
                     "        <Power>{:.6f} {:.6f} {:.6f}</Power>\n    </SOPNode>\n    <SatNode>\n"
                     "        <Saturation>{:.6f}</Saturation>\n    </SatNode>\n</ColorCorrection>\n",
                     id.empty() ? "correction" : id, in_xml(o.sentence.empty() ? o.name : o.name + ". " + o.sentence),
                     in_xml(input_of(o, correction).name()), space_of(o, correction).name, in_xml(error), c.slope[0],
                     c.slope[1], c.slope[2], c.offset[0], c.offset[1], c.offset[2], c.power[0], c.power[1], c.power[2],
                     c.saturation);
}

void write_cdl(const fit::Correction& c, const std::filesystem::path& file, const Options& o, Written& w,
               bool collection) {
    const auto samples = samples_of(c, o);
    if (samples.size() < 8)
        throw Error(ErrorKind::input, "there are too few patches to fit a CDL to", file,
                    "Export from a correction that was fitted to a chart");
    const Cdl cdl = fitted(samples);
    const Left all = left_by(c, o, cdl, samples);
    const fit::Statistics& left = all.correction;
    const std::string error =
        formatted("Differs from the correction by CIEDE2000 {:.2f} on average, {:.2f} at most, on the chart's patches",
                  left.mean, left.max);
    std::string text = text_of(cdl, o, c, error);
    if (collection)
        text = "<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.01\">\n" + text + "</ColorCorrectionCollection>\n";
    write_whole(file, "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n" + text);
    w.held = "cdl";
    w.delta_e_2000 = all.reference;
    w.message = "; " + error;
}

Format format_of(const std::string& id, bool collection) {
    return {.id = id,
            .title = collection ? "CDL collection" : "ASC CDL",
            .extension = collection ? ".ccc" : ".cc",
            .what = "For grading programs: slope, offset and power for each channel, and saturation. It holds much "
                    "less than the correction; its error is stated.",
            .next = "Load it on shots whose codes are {encoding}, or link it by their names.",
            .finish = true,
            .curves = true,
            .order = collection ? 10 : 9,
            .options = {Option::input_encoding, Option::space},
            .input_encoding = "srgb",
            .write = [collection](const fit::Correction& held, const fit::Correction&,
                                  const std::filesystem::path& file, const Options& options,
                                  Written& w) { write_cdl(held, file, options, w, collection); }};
}

} // namespace

Format cdl_format() { return format_of("cdl", false); }
Format ccc_format() { return format_of("ccc", true); }

} // namespace refero::handover
