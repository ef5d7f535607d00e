#include "prove/elsewhere.hpp"

#include <cmath>
#include <sstream>

#include <Eigen/LU>
#include <OpenColorIO/OpenColorIO.h>
#include <lcms2.h>
#include <nlohmann/json.hpp>

#include "base/brief.hpp"
#include "frame/lut_values.hpp"

namespace refero::prove {

namespace ocio = OCIO_NAMESPACE;
namespace fs = std::filesystem;
using colour::Mat3;
using colour::Vec3;

namespace {

const colour::RgbSpace& bt709() { return colour::rgb_space("linear-bt709"); }

std::string extension(const fs::path& file) {
    std::string e = file.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return std::tolower(c); });
    return e;
}

/// Codes of the input encoding to codes of the output space.
using CodeToCode = std::function<Vec3(const Vec3&)>;
Rendering by_codes(CodeToCode codes, const Usage& usage) {
    const colour::RgbSpace& out = colour::rgb_space(usage.space);
    return [codes = std::move(codes), in = colour::transfer_named(usage.input_encoding), transfer = out.transfer,
            to_xyz = out.to_xyz_d50()](const Vec3& rgb) -> Vec3 {
        const Vec3 code =
            codes(Vec3(colour::encode(in, rgb[0]), colour::encode(in, rgb[1]), colour::encode(in, rgb[2])));
        return to_xyz * Vec3(colour::decode(transfer, code[0]), colour::decode(transfer, code[1]),
                             colour::decode(transfer, code[2]));
    };
}

CodeToCode by_ocio(const fs::path& file) {
    try {
        ocio::ClearAllCaches(); // it knows files by their names, and this one may have been written anew
        const auto transform = ocio::FileTransform::Create();
        transform->setSrc(file.c_str());
        transform->setInterpolation(ocio::INTERP_BEST);
        const auto processor = ocio::Config::CreateRaw()->getProcessor(transform);
        frame::check_values(processor, file);
        const auto cpu = processor->getOptimizedCPUProcessor(ocio::OPTIMIZATION_LOSSLESS);
        return [cpu](const Vec3& code) -> Vec3 {
            Eigen::Vector3f v = code.cast<float>();
            cpu->applyRGB(v.data());
            return v.cast<double>();
        };
    } catch (const ocio::Exception& problem) {
        throw Error(ErrorKind::input, "this cannot be read: " + in_brief(problem.what()), file,
                    "Give a LUT or CDL file that is whole: .cube, .clf, .ctf, .spi3d, .cdl, .cc ...");
    }
}

Rendering by_profile(const fs::path& file, const Usage& usage) {
    const std::string bytes = read_file(file, 64 << 20);
    const std::shared_ptr<void> profile(cmsOpenProfileFromMem(bytes.data(), static_cast<cmsUInt32Number>(bytes.size())),
                                        [](void* p) {
                                            if (p) cmsCloseProfile(p);
                                        });
    if (!profile || cmsGetColorSpace(profile.get()) != cmsSigRgbData)
        throw Error(ErrorKind::input, "this is no ICC profile of an RGB device", file, "Give the profile of a camera");
    const std::shared_ptr<void> xyz(cmsCreateXYZProfile(), [](void* p) { cmsCloseProfile(p); });
    const std::shared_ptr<void> transform(cmsCreateTransform(profile.get(), TYPE_RGB_DBL, xyz.get(), TYPE_XYZ_DBL,
                                                             INTENT_RELATIVE_COLORIMETRIC,
                                                             cmsFLAGS_NOCACHE | cmsFLAGS_NOOPTIMIZE),
                                          [](void* t) {
                                              if (t) cmsDeleteTransform(t);
                                          });
    if (!transform)
        throw Error(ErrorKind::input, "this ICC profile holds no way from RGB to XYZ", file,
                    "Give the profile of a camera");
    constexpr int steps = 8; // the whole cube: a table with a hole is no profile
    for (int i = 0; i < (steps + 1) * (steps + 1) * (steps + 1); ++i) {
        const Vec3 code = Vec3(i % (steps + 1), i / (steps + 1) % (steps + 1), i / (steps + 1) / (steps + 1)) / steps;
        Vec3 out;
        cmsDoTransform(transform.get(), code.data(), out.data(), 1);
        for (const double v : out)
            if (!is_reasonable(v))
                throw Error(ErrorKind::input, formatted("this ICC profile makes {:g} of a colour", v), file,
                            "Export it again, or use another one");
    }
    return [transform, in = colour::transfer_named(usage.input_encoding)](const Vec3& rgb) {
        const double code[3] = {colour::encode(in, rgb[0]), colour::encode(in, rgb[1]), colour::encode(in, rgb[2])};
        Vec3 out;
        cmsDoTransform(transform.get(), code, out.data(), 1);
        return out;
    };
}

void check_matrix(const Mat3& m, const fs::path& file) {
    for (const double v : m.reshaped())
        if (!is_reasonable(v))
            throw Error(ErrorKind::input, formatted("a number of this matrix cannot be: {:g}", v), file,
                        "Export it again, or correct it");
}

Rendering by_matrix(const Mat3& m) {
    return [m](const Vec3& rgb) -> Vec3 { return m * rgb; };
}

/// Matrix of a JSON file of ours.
std::optional<Mat3> matrix_in(const std::string& text) {
    const auto j = nlohmann::json::parse(text, nullptr, false);
    if (!j.is_object() || !j.contains("refero_matrix") || !j.contains("xyz_d50_from_camera_rgb")) return std::nullopt;
    Mat3 m;
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            m(static_cast<Eigen::Index>(r), static_cast<Eigen::Index>(c)) =
                j["xyz_d50_from_camera_rgb"].at(r).at(c).get<double>();
    return m;
}

std::optional<Mat3> nine_numbers(std::string text) {
    std::replace(text.begin(), text.end(), ',', ' ');
    std::istringstream in(text);
    Mat3 m;
    for (int i = 0; i < 9; ++i)
        if (!(in >> m(i / 3, i % 3))) return std::nullopt;
    std::string rest;
    return in >> rest ? std::nullopt : std::optional(m);
}

} // namespace

std::string text_of(const std::vector<Named>& files) {
    if (files.empty()) return {};
    auto j = nlohmann::ordered_json::array();
    for (const Named& n : files)
        j.push_back({{"file", n.file.string()},
                     {"input_encoding", n.usage.input_encoding},
                     {"space", n.usage.space},
                     {"balanced", n.usage.balanced}});
    return j.dump();
}

std::vector<Named> named_from(const std::string& text) {
    std::vector<Named> all;
    const auto j = nlohmann::json::parse(text, nullptr, false);
    if (!j.is_array()) return all;
    for (const auto& n : j) try {
            all.push_back({n.at("file").get<std::string>(), {n.at("input_encoding"), n.at("space"), n.at("balanced")}});
        } catch (const nlohmann::json::exception&) {}
    return all;
}

Usage usual_for(const fs::path& file) {
    const std::string type = extension(file);
    return type == ".icc" || type == ".icm" || type == ".txt" || type == ".mat" || type == ".json"
               ? Usage{"linear", "srgb", false}
               : Usage{};
}

Elsewhere open_elsewhere(const fs::path& file, const Usage& usage, const balance::Balance& balance) {
    colour::transfer_named(usage.input_encoding);
    colour::rgb_space(usage.space); // refuse what is not known before reading
    Elsewhere e{file, {}, usage, {}};
    const std::string type = extension(file);
    if (type == ".icc" || type == ".icm") {
        e.kind = "ICC profile";
        e.rendering = by_profile(file, usage);
    } else if (type == ".json" || type == ".txt" || type == ".mat") {
        const std::string text = read_file(file, 64 << 20);
        try {
            if (const auto m = matrix_in(text)) {
                e.kind = "matrix";
                check_matrix(*m, file);
                e.rendering = by_matrix(*m);
            } else if (const auto nine = nine_numbers(text)) {
                e.kind = "matrix";
                check_matrix(*nine, file);
                e.rendering = by_matrix(colour::rgb_space(usage.space).to_xyz_d50() * *nine);
            } else if (type == ".json") {
                e.kind = "correction";
                e.rendering = [c = fit::from_json(text, file)](const Vec3& rgb) { return c(rgb); };
            }
        } catch (const nlohmann::json::exception& problem) {
            throw Error(ErrorKind::input, std::string("this matrix is not whole: ") + problem.what(), file,
                        "Export it again");
        }
        if (!e.rendering)
            throw Error(ErrorKind::input, "this is no matrix of nine numbers", file,
                        "Give three rows of three numbers and nothing else");
        if (e.kind == "correction") return e.own = e.rendering, e; // it has its own balance
    } else {
        read_file(file, 512 << 20); // names a file that is not there
        e.kind = type == ".cdl" || type == ".cc" || type == ".ccc" ? "CDL" : "LUT";
        e.rendering = by_codes(by_ocio(file), usage);
    }
    e.own = e.rendering;
    if (usage.balanced) e.rendering = [inner = e.own, balance](const Vec3& rgb) { return inner(balance(rgb)); };
    return e;
}

namespace {

look::Cdl cdl_from(const fs::path& file) {
    try {
        ocio::ClearAllCaches();
        const auto cdl = ocio::CDLTransform::CreateFromFile(file.c_str(), "");
        look::Cdl c;
        cdl->getSlope(c.slope.data());
        cdl->getOffset(c.offset.data());
        cdl->getPower(c.power.data());
        c.saturation = cdl->getSat();
        for (const auto& part : {c.slope, c.offset, c.power, colour::Vec3(c.saturation, 0, 0)})
            for (const double v : part)
                if (!is_reasonable(v))
                    throw Error(ErrorKind::input, formatted("a number of this CDL cannot be: {:g}", v), file,
                                "Export it again, or correct it");
        return c;
    } catch (const ocio::Exception& problem) {
        throw Error(ErrorKind::input, "this is no CDL: " + in_brief(problem.what()), file,
                    "Give a .cc, .ccc or .cdl file that is whole");
    }
}

/// How many nodes a LUT file has along each side; 0: it does not say so in a way that is known here.
int nodes_of(const std::string& text) {
    const auto at = text.find("LUT_3D_SIZE");
    return at == std::string::npos ? 0 : std::atoi(text.c_str() + at + 11);
}

} // namespace

look::Look look_from(const fs::path& file) {
    const std::string text = read_file(file, 512 << 20), type = extension(file);
    if (type == ".json") try {
            return look::look_from_json(text);
        } catch (const Error& e) { throw Error(e.kind(), e.message(), file, e.remedy()); }
    look::Brought brought{file.filename().string(), {}, 0, {}};
    if (type == ".cdl" || type == ".cc" || type == ".ccc") brought.cdl = cdl_from(file);
    else {
        const CodeToCode codes = by_ocio(file);
        const int said = nodes_of(text);
        brought.size = said >= 2 ? std::min(said, look::most_brought_size) : look::most_brought_size;
        const double step = 1.0 / (brought.size - 1);
        for (int b = 0; b < brought.size; ++b)
            for (int g = 0; g < brought.size; ++g)
                for (int r = 0; r < brought.size; ++r)
                    for (const double v : codes(step * Vec3(r, g, b)))
                        brought.nodes.push_back(
                            static_cast<std::uint16_t>(std::lround(65535 * std::clamp(v, 0.0, 1.0))));
    }
    look::Look look;
    look.name = file.stem().string();
    look.brought = std::make_shared<const look::Brought>(std::move(brought));
    look::check(look);
    return look;
}

Rendering standard_rendering(const Mat3& camera_from_xyz, const balance::Balance& balance) {
    return by_matrix(fit::own_colours(balance, camera_from_xyz) * balance.exposure * balance.gains.asDiagonal());
}

fit::Correction trim_of(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
                        const chart::Definition* definition) {
    const Mat3 from_xyz = bt709().to_xyz_d50().inverse();
    read::Reading made = reading;
    for (read::PatchReading& p : made.patches) {
        if (!p.pixels) continue;
        const Vec3 at(p.mean.data()), rgb = from_xyz * rendering(at);
        // Uncertainties go through its slope.
        for (std::size_t c = 0; c < 3; ++c) {
            Vec3 moved = at;
            const double step = std::max(1e-4, 0.01 * at.maxCoeff());
            moved[static_cast<Eigen::Index>(c)] += step;
            const double slope = ((from_xyz * rendering(moved) - rgb) / step).norm();
            p.mean[c] = rgb[static_cast<Eigen::Index>(c)];
            p.sd[c] *= slope;
            p.error[c] *= slope;
            p.noise[c] *= slope;
        }
    }
    // Where the rendering has put a patch at an end of its range, nothing can be told.
    const double top = from_xyz.row(1).dot(rendering(Vec3::Constant(4)));
    for (read::PatchReading& p : made.patches)
        if (p.pixels && std::isfinite(top) &&
            (*std::max_element(p.mean.begin(), p.mean.end()) >= 0.999 * top ||
             *std::max_element(p.mean.begin(), p.mean.end()) <= 1e-4))
            p.clipped = 1;
    fit::Settings settings;
    settings.model = fit::Model::matrix;
    settings.alone = true;
    settings.white = [&] {
        for (const auto& [id, xyz] : reference.xyz)
            if (const read::PatchReading* p = made.find(id);
                p && p->usable() && balance::is_neutral(definition, id, xyz) && xyz.y() > 0.3 && xyz.y() < 0.7)
                return id;
        return std::string();
    }();
    return fit::build(made, reference, definition, settings);
}

Rendering trimmed(const Rendering& rendering, const fit::Correction& trim) {
    return [rendering, trim, from_xyz = Mat3(bt709().to_xyz_d50().inverse())](const Vec3& camera_rgb) {
        return trim(from_xyz * rendering(camera_rgb));
    };
}

} // namespace refero::prove
