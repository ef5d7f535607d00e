// Files for other programs, each read back by something that is not ours.
#include <OpenColorIO/OpenColorIO.h>
#include <OpenImageIO/imageio.h>
#include <lcms2.h>

#include <Eigen/LU>
#include <bit>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "apply/apply.hpp"
#include "handover/handover.hpp"
#include "support.hpp"

namespace ocio = OCIO_NAMESPACE;

namespace refero::handover {
namespace {

using colour::Vec3;
using nlohmann::json;
using test::Scratch;

fit::Correction correction(std::optional<fit::Model> model) {
    const auto r = test::rendered({.light = "tungsten"});
    fit::Settings settings;
    settings.model = model;
    auto c = fit::build(test::true_reading(r), chart::reference_of(test::grid24()), &test::grid24(), settings);
    fit::Source source;
    source.metadata.make = "Simulated";
    source.metadata.model = "Stills A";
    source.metadata.unique_model = "Simulated Stills A";
    c.sources.push_back(source);
    c.light_name = "tungsten";
    c.light = colour::Temperature{2870, 0.0005};
    return c;
}

ocio::ConstCPUProcessorRcPtr processor(const fs::path& file) {
    const auto transform = ocio::FileTransform::Create();
    transform->setSrc(file.c_str());
    transform->setInterpolation(ocio::INTERP_LINEAR);
    return ocio::Config::CreateRaw()->getProcessor(transform)->getOptimizedCPUProcessor(ocio::OPTIMIZATION_NONE);
}

json exiftool(const fs::path& file) {
    const std::string command = "exiftool -j -n -G1 '" + file.string() + "'";
    FILE* pipe = popen(command.c_str(), "r");
    std::string text;
    char buffer[4096];
    while (const auto n = fread(buffer, 1, sizeof buffer, pipe)) text.append(buffer, n);
    EXPECT_EQ(pclose(pipe), 0);
    return json::parse(text).at(0);
}

std::vector<double> numbers(const json& v) {
    std::istringstream in(v.get<std::string>());
    return {std::istream_iterator<double>(in), {}};
}

// OpenColorIO reads a cube of a rendering: at its nodes it gives what the rendering gives. (A correction's cube has
// nodes that make the colours between them right: cube_error_test.cpp.)
TEST(Deliver, cube_nodes_are_the_rendering) {
    Scratch scratch;
    const auto c = correction({});
    const auto w = write(c, "cube", scratch / "w.cube", {.size = 17});
    EXPECT_EQ(w.model, c.model);
    write_cube([&](const Vec3& rgb) { return c(rgb); }, "", scratch / "a.cube", {.size = 17, .name = "a"});
    const auto cube = processor(scratch / "a.cube");
    const auto& space = colour::rgb_space("srgb");
    const colour::Mat3 from_xyz = space.to_xyz_d50().inverse();
    double worst = 0;
    for (int b = 0; b < 17; ++b)
        for (int g = 0; g < 17; ++g)
            for (int r = 0; r < 17; ++r) {
                float rgb[3] = {r / 16.f, g / 16.f, b / 16.f};
                Vec3 in;
                for (int k = 0; k < 3; ++k) in[k] = colour::decode(colour::Transfer::srgb, rgb[k]);
                const Vec3 linear = from_xyz * c(in);
                cube->applyRGB(rgb);
                for (int k = 0; k < 3; ++k)
                    worst = std::max(worst, std::abs(rgb[k] - colour::encode(colour::Transfer::srgb, linear[k])));
            }
    test::measured("cube read by OpenColorIO: largest node difference %.2g", worst);
    EXPECT_LT(worst, 1e-5);
}

TEST(Deliver, a_linear_cube_of_a_matrix_is_exact_between_nodes_too) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    write(c, "cube", scratch / "a.cube", {.input_encoding = "linear", .space = "linear-bt709", .size = 9});
    const auto cube = processor(scratch / "a.cube");
    const colour::Mat3 from_xyz = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    std::mt19937 random(1);
    std::uniform_real_distribution<float> u(0, 1);
    double worst = 0;
    for (int i = 0; i < 20000; ++i) {
        float rgb[3] = {u(random), u(random), u(random)};
        const Vec3 ours = from_xyz * c(Vec3(rgb[0], rgb[1], rgb[2]));
        cube->applyRGB(rgb);
        for (int k = 0; k < 3; ++k) worst = std::max(worst, std::abs(rgb[k] - ours[k]));
    }
    test::measured("linear cube of a matrix, read by OpenColorIO: largest difference anywhere %.2g", worst);
    EXPECT_LT(worst, 1e-4);
}

TEST(Deliver, a_cube_states_its_error_between_nodes) {
    Scratch scratch;
    const auto c = correction({});
    write(c, "cube", scratch / "a.cube", {.size = 33});
    const std::string text = read_file(scratch / "a.cube");
    double mean = -1, largest = -1, mean65 = -1, largest65 = -1;
    const auto at = text.find("# Error between nodes at 33"), at65 = text.find("# Error between nodes at 65");
    ASSERT_NE(at, std::string::npos);
    ASSERT_NE(at65, std::string::npos);
    EXPECT_EQ(std::sscanf(text.c_str() + at, "# Error between nodes at 33 points (code values): mean %lf, largest %lf",
                          &mean, &largest),
              2);
    EXPECT_EQ(std::sscanf(text.c_str() + at65,
                          "# Error between nodes at 65 points (code values): mean %lf, largest %lf", &mean65,
                          &largest65),
              2);
    EXPECT_LT(mean65, mean);
    // The stated mean is what OpenColorIO shows on other points.
    const auto cube = processor(scratch / "a.cube");
    const colour::Mat3 from_xyz = colour::rgb_space("srgb").to_xyz_d50().inverse();
    std::mt19937 random(9);
    std::uniform_real_distribution<float> u(0, 1);
    double sum = 0;
    for (int i = 0; i < 20000; ++i) {
        float rgb[3] = {u(random), u(random), u(random)};
        Vec3 in, out;
        for (int k = 0; k < 3; ++k) in[k] = colour::decode(colour::Transfer::srgb, rgb[k]);
        const Vec3 linear = from_xyz * c(in);
        cube->applyRGB(rgb);
        for (int k = 0; k < 3; ++k) out[k] = std::abs(rgb[k] - colour::encode(colour::Transfer::srgb, linear[k]));
        sum += out.maxCoeff();
    }
    EXPECT_NEAR(sum / 20000 / mean, 1, 0.1);
    for (const int size : {1, 130}) EXPECT_THROW(write(c, "cube", scratch / "b.cube", {.size = size}), Error);
    EXPECT_FALSE(fs::exists(scratch / "b.cube"));
}

/// Largest CIEDE2000 between a profile as lcms2 reads it and the correction, on its patches.
double worst_of_profile(const fs::path& file, const fit::Correction& c) {
    cmsHPROFILE profile = cmsOpenProfileFromFile(file.c_str(), "r");
    EXPECT_TRUE(profile);
    EXPECT_EQ(cmsGetDeviceClass(profile), cmsSigInputClass);
    cmsHPROFILE lab = cmsCreateLab4Profile(nullptr);
    cmsHTRANSFORM t =
        cmsCreateTransform(profile, TYPE_RGB_DBL, lab, TYPE_Lab_DBL, INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
    EXPECT_TRUE(t);
    std::vector<double> off;
    for (const auto& p : c.reading.patches) {
        double out[3];
        cmsDoTransform(t, p.mean.data(), out, 1);
        const Vec3 ours = c(Vec3(p.mean[0], p.mean[1], p.mean[2]));
        off.push_back(colour::delta_e_2000(colour::lab_from_xyz(ours), Vec3(out[0], out[1], out[2])));
    }
    cmsDeleteTransform(t);
    cmsCloseProfile(lab);
    cmsCloseProfile(profile);
    return fit::statistics(off).max;
}

// lcms2 takes device RGB through the profile to CIELAB: the exported model, a matrix or a grid.
TEST(Deliver, an_icc_profile_is_the_exported_model) {
    Scratch scratch;
    for (const int version : {2, 4})
        for (const auto model : {fit::Model::matrix, fit::Model::root_polynomial_2, fit::Model::spectral}) {
            const auto c = correction(model);
            const auto w = write(c, "icc", scratch / "a.icc", {.icc_version = version});
            EXPECT_EQ(w.model, model);
            EXPECT_NEAR(w.delta_e_2000.mean, c.fit.mean, 1e-9);
            const double worst = worst_of_profile(scratch / "a.icc", c);
            test::measured("ICC profile, version %d, of %s, read by lcms2: CIEDE2000 at most %.3f to the model",
                           version, fit::name_of(model).c_str(), worst);
            EXPECT_LT(worst, model == fit::Model::matrix ? 0.05 : 0.5);
        }
}

TEST(Deliver, exiftool_reads_a_dcp_as_it_was_meant) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    write(c, "dcp", scratch / "a.dcp");
    const json tags = exiftool(scratch / "a.dcp");
    EXPECT_EQ(tags.at("File:FileType"), "DCP");
    EXPECT_EQ(tags.at("IFD0:UniqueCameraModel"), "Simulated Stills A");
    EXPECT_EQ(tags.at("IFD0:CalibrationIlluminant1"), 17); // EXIF LightSource: standard light A, nearest to 2870 K
    EXPECT_FALSE(tags.at("IFD0:ProfileName").get<std::string>().empty());
    EXPECT_FALSE(tags.at("IFD0:ProfileCopyright").get<std::string>().empty());
    const auto forward = numbers(tags.at("IFD0:ForwardMatrix1")), colour_matrix = numbers(tags.at("IFD0:ColorMatrix1"));
    ASSERT_EQ(forward.size(), 9u);
    ASSERT_EQ(colour_matrix.size(), 9u);
    // DNG specification 1.4: the forward matrix takes balanced white (1, 1, 1) to XYZ of D50.
    for (int row = 0; row < 3; ++row)
        EXPECT_NEAR(forward[row * 3] + forward[row * 3 + 1] + forward[row * 3 + 2], colour::white_d50[row], 3e-4);
    // The colour matrix takes the light's XYZ to the camera's neutral, whose inverse are the balance's gains.
    Vec3 neutral;
    const Vec3 light = colour::xyz_from(colour::chromaticity_of(*c.light));
    for (int row = 0; row < 3; ++row)
        neutral[row] = colour_matrix[row * 3] * light[0] + colour_matrix[row * 3 + 1] * light[1] +
                       colour_matrix[row * 3 + 2] * light[2];
    const Vec3 expected = c.balance.gains.cwiseInverse();
    EXPECT_LT((neutral / neutral[1] - expected / expected[1]).norm(), 0.002);
}

/// The tags of a DCP file: numbers of its only directory, by a reader of the test's own (TIFF 6.0, section 2).
std::map<int, std::vector<double>> tags_of(const fs::path& file) {
    const std::string bytes = read_file(file);
    const auto at = [&](std::size_t offset, int size) {
        std::uint32_t v = 0;
        for (int i = 0; i < size; ++i)
            v |= static_cast<std::uint32_t>(static_cast<unsigned char>(bytes.at(offset + static_cast<std::size_t>(i))))
                 << 8 * i;
        return v;
    };
    std::map<int, std::vector<double>> tags;
    const std::size_t ifd = at(4, 4), entries = at(ifd, 2);
    for (std::size_t e = 0; e < entries; ++e) {
        const std::size_t entry = ifd + 2 + 12 * e, type = at(entry + 2, 2), count = at(entry + 4, 4),
                          size = type == 3    ? 2
                                 : type == 10 ? 8
                                              : 4;
        const std::size_t values = size * count <= 4 ? entry + 8 : at(entry + 8, 4);
        for (std::size_t k = 0; k < count && type != 2; ++k) {
            const std::size_t v = values + k * size;
            if (type == 10)
                tags[static_cast<int>(at(entry, 2))].push_back(
                    static_cast<double>(static_cast<std::int32_t>(at(v, 4))) / static_cast<std::int32_t>(at(v + 4, 4)));
            else if (type == 11) tags[static_cast<int>(at(entry, 2))].push_back(std::bit_cast<float>(at(v, 4)));
            else tags[static_cast<int>(at(entry, 2))].push_back(at(v, static_cast<int>(size)));
        }
    }
    return tags;
}

/// A profile at work, after the DNG specification 1.4, chapter 6 and ProfileHueSatMapData: balanced camera RGB, forward
/// matrix, linear ROMM, table, back to XYZ. Written from the specification, not from the writer.
Vec3 by_profile(const std::map<int, std::vector<double>>& tags, int second, const Vec3& balanced) {
    Eigen::Map<const Eigen::Matrix<double, 3, 3, Eigen::RowMajor>> forward(tags.at(50964 + second).data());
    colour::Mat3 romm; // ISO 22028-2, annex: ROMM to XYZ D50
    romm << 0.7976749, 0.1351917, 0.0313534, 0.2880402, 0.7118741, 0.0000857, 0, 0, 0.8252100;
    Vec3 rgb = (romm.inverse() * forward * balanced).cwiseMax(0);
    if (!tags.contains(50937)) return romm * rgb;
    const int hues = static_cast<int>(tags.at(50937)[0]), sats = static_cast<int>(tags.at(50937)[1]);
    const auto& table = tags.at(50938 + second);
    Eigen::Index top, low;
    const double v = rgb.maxCoeff(&top), gap = v - rgb.minCoeff(&low);
    if (gap <= 0) return romm * rgb;
    double h = (top == 0   ? (rgb[1] - rgb[2]) / gap
                : top == 1 ? 2 + (rgb[2] - rgb[0]) / gap
                           : 4 + (rgb[0] - rgb[1]) / gap) /
               6;
    h -= std::floor(h);
    const double s = gap / v, fh = h * hues, fs = s * (sats - 1);
    double change[3] = {0, 0, 0};
    for (int i = 0; i < 2; ++i)
        for (int k = 0; k < 2; ++k) {
            const int row = (static_cast<int>(fh) + i) % hues, column = std::min(static_cast<int>(fs) + k, sats - 1);
            const double w = (i ? fh - std::floor(fh) : 1 - fh + std::floor(fh)) *
                             (k ? fs - std::floor(fs) : 1 - fs + std::floor(fs));
            for (int c = 0; c < 3; ++c) change[c] += w * table[static_cast<std::size_t>(3 * (row * sats + column) + c)];
        }
    h += change[0] / 360;
    h -= std::floor(h);
    const double ns = std::min(1.0, s * change[1]), nv = v * change[2];
    for (int c = 0; c < 3; ++c) { // distance of the hue from each primary, in sixths
        double d = std::abs(h * 6 - 2 * c);
        d = std::min(d, 6 - d);
        rgb[c] = nv * (1 - ns * std::clamp(d - 1, 0.0, 1.0));
    }
    return romm * rgb;
}

// Root-polynomial and spectral corrections travel as matrix and table; what is lost stays below what is seen.
TEST(Deliver, a_dcp_holds_any_model_by_its_table) {
    Scratch scratch;
    for (const fit::Model model : {fit::Model::spectral, fit::Model::root_polynomial_2, fit::Model::lut}) {
        const auto c = correction(model);
        const Written w = write(c, "dcp", scratch / "a.dcp");
        EXPECT_EQ(w.model, model);
        const auto tags = tags_of(scratch / "a.dcp");
        std::vector<double> off, matrix_off, to_reference;
        for (const auto& p : c.reading.patches) {
            const Vec3 camera(p.mean.data()), lab = colour::lab_from_xyz(c(camera)),
                                              seen = colour::lab_from_xyz(by_profile(tags, 0, c.balance(camera)));
            off.push_back(colour::delta_e_2000(lab, seen));
            to_reference.push_back(colour::delta_e_2000(colour::lab_from_xyz(c.reference.xyz.at(p.id)), seen));
            matrix_off.push_back(colour::delta_e_2000(lab, colour::lab_from_xyz(fit::as_matrix(c)(camera))));
        }
        EXPECT_LT(fit::statistics(off).mean, 0.15);
        EXPECT_LT(fit::statistics(off).max, 0.6);
        EXPECT_LT(fit::statistics(off).mean, 0.5 * fit::statistics(matrix_off).mean);
        EXPECT_NEAR(fit::statistics(to_reference).mean, w.delta_e_2000.mean, 0.02);
        // Neutral stays neutral.
        const Vec3 grey = colour::lab_from_xyz(by_profile(tags, 0, Vec3::Constant(0.4)));
        EXPECT_LT(std::hypot(grey[1], grey[2]), 0.05);
        test::measured("DCP of %s: table off the model by %.3f mean, %.2f at most (the matrix alone: %.2f)",
                       fit::name_of(model).c_str(), fit::statistics(off).mean, fit::statistics(off).max,
                       fit::statistics(matrix_off).mean);
    }
    const json tags = exiftool(scratch / "a.dcp");
    EXPECT_EQ(tags.at("IFD0:ProfileHueSatMapDims"), "72 25 1");
}

// Two lights: the warmer one first, each with its own illuminant; between them programs weigh by reciprocal
// temperature.
TEST(Deliver, a_dcp_holds_two_lights) {
    Scratch scratch;
    auto warm = correction(fit::Model::matrix), day = warm;
    const auto r = test::true_reading(test::rendered({.light = "window"}));
    fit::Settings settings;
    settings.model = fit::Model::root_polynomial_2;
    day = fit::build(r, chart::reference_of(test::grid24()), &test::grid24(), settings);
    day.sources = warm.sources;
    day.light = colour::Temperature{6504, 0.003};
    const Written w = write(day, "dcp", scratch / "a.dcp", {.second = std::make_shared<const fit::Correction>(warm)});
    EXPECT_NE(w.message.find("two lights"), std::string::npos);
    const json tags = exiftool(scratch / "a.dcp");
    EXPECT_EQ(tags.at("IFD0:CalibrationIlluminant1"), 17);
    EXPECT_EQ(tags.at("IFD0:CalibrationIlluminant2"), 21);
    const auto numbers = tags_of(scratch / "a.dcp");
    for (const auto& [c, second] : {std::pair{&warm, 0}, {&day, 1}}) {
        std::vector<double> off;
        for (const auto& p : c->reading.patches)
            off.push_back(colour::delta_e_2000(
                colour::lab_from_xyz((*c)(Vec3(p.mean.data()))),
                colour::lab_from_xyz(by_profile(numbers, second, c->balance(Vec3(p.mean.data()))))));
        EXPECT_LT(fit::statistics(off).mean, 0.3) << second;
    }
    auto other = warm;
    EXPECT_THROW(write(day, "cube", scratch / "a.cube", {.second = std::make_shared<const fit::Correction>(warm)}),
                 Error);
    other.sources[0].metadata.model = "Stills B";
    EXPECT_THROW(write(day, "dcp", scratch / "b.dcp", {.second = std::make_shared<const fit::Correction>(other)}),
                 Error);
    other = day;
    EXPECT_THROW(write(day, "dcp", scratch / "b.dcp", {.second = std::make_shared<const fit::Correction>(other)}),
                 Error); // too alike
    EXPECT_FALSE(fs::exists(scratch / "b.dcp"));
}

// The simulator's raw files, by a reader of tags and by the raw decoder.
TEST(Deliver, exiftool_reads_the_simulators_dng) {
    Scratch scratch;
    test::shoot({.width = 300, .height = 200}, scratch / "a.dng");
    const json tags = exiftool(scratch / "a.dng");
    EXPECT_EQ(tags.at("File:FileType"), "DNG");
    EXPECT_EQ(tags.at("IFD0:Model"), "Stills A");
    EXPECT_EQ(tags.at("IFD0:CFAPattern2"), "0 1 1 2");
    EXPECT_EQ(tags.at("IFD0:BlackLevel"), "512 512 512 512");
    EXPECT_EQ(tags.at("IFD0:WhiteLevel"), 15871);
    EXPECT_EQ(tags.at("IFD0:DNGVersion"), "1 4 0 0");
    EXPECT_EQ(tags.at("IFD0:CalibrationIlluminant1"), 21); // D65
    EXPECT_EQ(numbers(tags.at("IFD0:ColorMatrix1")).size(), 9u);
    EXPECT_EQ(numbers(tags.at("IFD0:AsShotNeutral")).size(), 3u);
    EXPECT_EQ(tags.at("ExifIFD:ISO"), 100);
}

TEST(Deliver, a_matrix_file_holds_the_matrix) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    write(c, "matrix", scratch / "m.json", {.space = "acescg"});
    const json j = json::parse(read_file(scratch / "m.json"));
    colour::Mat3 m, to_space;
    for (int r = 0; r < 3; ++r)
        for (int k = 0; k < 3; ++k) {
            m(r, k) = j.at("xyz_d50_from_camera_rgb")[r][k];
            to_space(r, k) = j.at("space_from_camera_rgb")[r][k];
        }
    const Vec3 rgb(0.2, 0.5, 0.3);
    EXPECT_LT((m * rgb - c(rgb)).norm(), 1e-9);
    EXPECT_LT((colour::rgb_space("acescg").to_xyz_d50() * to_space * rgb - c(rgb)).norm(), 1e-9);
}

// One row a format: what it says of itself holds, and the guide names it.
TEST(Deliver, every_format_of_the_table_writes_what_it_says) {
    Scratch scratch;
    auto c = correction(fit::Model::root_polynomial_2);
    c.look.curve = {{0, 0}, {0.5, 0.55}, {1, 1}}; // what one format is about
    const std::string guide = read_file(fs::path(REFERO_SOURCE_DIR) / "docs" / "formats.md");
    std::set<std::string> ids;
    for (const Format& f : formats()) {
        EXPECT_TRUE(ids.insert(f.id).second) << f.id;
        EXPECT_FALSE(f.title.empty() || f.what.empty() || f.extension.empty()) << f.id;
        EXPECT_EQ(&format_named(f.id), &f);
        const Written w = write(c, f.id, scratch / ("a-" + f.id + f.extension));
        const fs::path file = scratch / ("a-" + f.id + f.extension);
        EXPECT_GT(fs::file_size(f.folder ? file / "config.ocio" : file), 100u) << f.id;
        EXPECT_EQ(w.model == c.model, f.holds != Format::Holds::matrix) << f.id;
        EXPECT_EQ(w.message.find("CIEDE2000") != std::string::npos, f.holds != Format::Holds::nothing) << w.message;
        EXPECT_NE(guide.find("`" + f.id + "`"), std::string::npos) << f.id << " is not in docs/formats.md";
        if (!f.has(Option::second)) {
            EXPECT_THROW(write(c, f.id, scratch / "b", {.second = std::make_shared<const fit::Correction>(c)}), Error);
        }
    }
    EXPECT_GE(ids.size(), 5u);
}

TEST(Deliver, a_file_that_cannot_be_written_leaves_nothing) {
    Scratch scratch;
    const auto c = correction(fit::Model::matrix);
    EXPECT_THROW(write(c, "icc", scratch / "no-such-folder/a.icc"), Error);
    EXPECT_THROW(format_named("poster"), Error);
    EXPECT_TRUE(fs::is_empty(scratch.folder()));
}

} // namespace
} // namespace refero::handover

namespace refero::apply {
namespace {

using colour::Vec3;
using test::Scratch;

struct Applied : testing::Test {
    Scratch scratch;
    simulate::Rendering truth = test::shoot({.white = 0.75}, scratch / "a.dng");
    store::MeasuredShot shot = operations::take_shot(scratch / "a.dng", {.chart = "grid24"});
    fit::Correction correction = operations::correct({shot}, chart::reference_of(shot.definition), {});
    frame::Frame full = frame::read(scratch / "a.dng", {frame::Size::full, {}});

    // Mean linear RGB of a patch's middle in a finished file, read back by OpenImageIO.
    Vec3 patch(const fs::path& file, const std::string& id) const {
        const auto in = OIIO::ImageInput::open(file.string());
        EXPECT_TRUE(in) << file;
        const auto& spec = in->spec();
        EXPECT_EQ(spec.width, 1500);
        std::vector<float> pixels(static_cast<std::size_t>(spec.width) * spec.height * 3);
        in->read_image(0, 0, 0, 3, OIIO::TypeDesc::FLOAT, pixels.data());
        const auto& d = test::grid24();
        const auto quad = chart::patch_quad(d.patches[static_cast<std::size_t>(d.index_of(id))],
                                            chart::pixels_from_mm(d, truth.charts[0].corners), 0.3);
        const chart::Point centre = (quad[0] + quad[1] + quad[2] + quad[3]) / 4;
        Vec3 sum = Vec3::Zero();
        for (int y = -4; y < 4; ++y)
            for (int x = -4; x < 4; ++x)
                for (int c = 0; c < 3; ++c)
                    sum[c] +=
                        pixels[((std::size_t(centre.y()) + y) * spec.width + std::size_t(centre.x()) + x) * 3 + c] / 64;
        return sum;
    }
};

TEST_F(Applied, every_space_and_format_shows_the_chart_in_its_reference_colours) {
    const auto reference = chart::reference_of(test::grid24());
    for (const char* name : {"srgb", "display-p3", "oprgb", "bt709", "linear-bt709", "acescg", "xyz-d50"})
        for (const Format format : {Format::tiff, Format::exr, Format::png, Format::jpeg}) {
            const auto& space = colour::rgb_space(name);
            const fs::path file = scratch / (std::string(name) + extension_of(format));
            write(strips_of(corrected(full, correction, name)), file, format, full.metadata);
            for (const char* id : {"A2", "B5", "D3", "A6"}) {
                Vec3 code = patch(file, id);
                if (format != Format::exr)
                    for (int k = 0; k < 3; ++k) code[k] = colour::decode(space.transfer, code[k]);
                const Vec3 lab = colour::lab_from_xyz(space.to_xyz_d50() * code);
                // Noise of few pixels, 8 bits for JPEG (coarse where it is linear), and what the correction leaves.
                EXPECT_LT(colour::delta_e_2000(lab, colour::lab_from_xyz(reference.xyz.at(id))),
                          format == Format::jpeg && space.transfer == colour::Transfer::linear ? 4 : 2)
                    << name << " " << extension_of(format) << " " << id;
            }
        }
}

// A frame that is cancelled while it is encoded, wherever: nothing is written, and the program goes on. (An encoder's
// own memory grew meanwhile.)
TEST_F(Applied, encoding_may_end_at_any_row) {
    constexpr int width = 1500, height = 1200; // noise: larger encoded than any first buffer
    std::vector<float> noise(std::size_t{3} * width * 32);
    std::mt19937 random(3);
    for (float& v : noise) v = static_cast<float>(random() % 1000) / 1000;
    for (const Format format : {Format::tiff, Format::exr, Format::png, Format::jpeg})
        for (const int until : {0, 200, 700, 1190}) {
            Strips strips{width, height, "srgb", 0, {}};
            strips.rows = [&](int first, int rows) {
                if (first + rows > until) throw Error(ErrorKind::cancelled, "cancelled");
                return noise.data();
            };
            const fs::path file = scratch / (std::string("cancelled") + extension_of(format));
            try {
                write(strips, file, format, full.metadata);
                ADD_FAILURE() << "written";
            } catch (const Error& e) { EXPECT_EQ(e.kind(), ErrorKind::cancelled); }
            EXPECT_FALSE(fs::exists(file));
        }
    for (const auto& entry : fs::directory_iterator(scratch.folder()))
        EXPECT_FALSE(entry.path().filename().string().starts_with(".")) << entry.path();
}

// The embedded profile tells an independent engine the same colour.
TEST_F(Applied, the_embedded_profile_says_the_same_to_an_independent_engine) {
    for (const char* name : {"srgb", "display-p3", "acescg"}) {
        const fs::path file = scratch / (std::string(name) + ".tif");
        write(strips_of(corrected(full, correction, name)), file, Format::tiff, full.metadata);
        const auto in = OIIO::ImageInput::open(file.string());
        const auto* icc = in->spec().find_attribute("ICCProfile");
        ASSERT_TRUE(icc) << name;
        cmsHPROFILE profile = cmsOpenProfileFromMem(icc->data(), static_cast<cmsUInt32Number>(icc->type().size()));
        ASSERT_TRUE(profile);
        cmsHPROFILE lab = cmsCreateLab4Profile(nullptr);
        cmsHTRANSFORM t = cmsCreateTransform(profile, TYPE_RGB_DBL, lab, TYPE_Lab_DBL, INTENT_RELATIVE_COLORIMETRIC,
                                             cmsFLAGS_NOOPTIMIZE);
        const Vec3 code = patch(file, "A2");
        double out[3];
        cmsDoTransform(t, code.data(), out, 1);
        EXPECT_LT(
            colour::delta_e_2000(Vec3(out), colour::lab_from_xyz(chart::reference_of(test::grid24()).xyz.at("A2"))),
            1.5)
            << name;
        cmsDeleteTransform(t);
        cmsCloseProfile(lab);
        cmsCloseProfile(profile);
    }
}

TEST_F(Applied, highlights_stay_neutral_and_integers_clip) {
    frame::Frame hot = full;
    hot.clipped.assign(hot.rgb.size() / 3, 7);
    std::fill(hot.rgb.begin(), hot.rgb.end(), 1.0f);
    const Picture p = corrected(hot, correction, "srgb");
    EXPECT_NEAR(p.rgb[0], p.rgb[1], 0.02 * p.rgb[1]);
    EXPECT_NEAR(p.rgb[2], p.rgb[1], 0.02 * p.rgb[1]);
    EXPECT_EQ(display_codes(p)[0], 0xffffffffu);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(corrected(full, correction, "srgb", {}, stop.get_token()), Error);
}

TEST(Base, a_file_is_whole_or_untouched) {
    Scratch scratch;
    write_whole(scratch / "a.txt", "first");
    EXPECT_THROW(write_whole(scratch / "a.txt",
                             [](const fs::path& p) {
                                 std::ofstream(p) << "half";
                                 throw std::runtime_error("power");
                             }),
                 std::runtime_error);
    EXPECT_EQ(read_file(scratch / "a.txt"), "first");
    EXPECT_EQ(std::distance(fs::directory_iterator(scratch.folder()), {}), 1);
    // FIPS 180-4 example: SHA-256 of "abc".
    test::written(scratch / "abc", "abc");
    EXPECT_EQ(sha256_of(scratch / "abc"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

} // namespace
} // namespace refero::apply
