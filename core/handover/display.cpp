// From scene-linear light to what a display shows of it, as a Common LUT Format file: the curve of a neutral plate.
#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>
#include <sstream>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

namespace ocio = OCIO_NAMESPACE;
using colour::Vec3;

constexpr unsigned curve_nodes = 16384;  ///< straight between: a toe's bend is hit within a hundredth of an 8-bit code
constexpr unsigned long look_nodes = 65; ///< of a look's ring of hues

void add_matrix(const ocio::GroupTransformRcPtr& group, const colour::Mat3& m) {
    if (!m.isIdentity(1e-9)) group->appendTransform(ocio_matrix(m));
}

/// Light from 0 to 1 to codes, or back; what lies outside is clipped first, unless the curve is known there.
void add_transfer(const ocio::GroupTransformRcPtr& group, colour::Transfer transfer, bool to_codes, bool clip = true) {
    const auto range = ocio::RangeTransform::Create();
    range->setMinInValue(0);
    range->setMinOutValue(0);
    range->setMaxInValue(1);
    range->setMaxOutValue(1);
    if (clip) group->appendTransform(range);
    if (transfer == colour::Transfer::srgb) { // IEC 61966-2-1, exact
        const auto curve = ocio::ExponentWithLinearTransform::Create();
        const double gamma[4] = {2.4, 2.4, 2.4, 1}, offset[4] = {0.055, 0.055, 0.055, 0};
        curve->setGamma(gamma);
        curve->setOffset(offset);
        if (!clip) curve->setNegativeStyle(ocio::NEGATIVE_MIRROR); // as colour::encode
        curve->setDirection(to_codes ? ocio::TRANSFORM_DIR_INVERSE : ocio::TRANSFORM_DIR_FORWARD);
        group->appendTransform(curve);
        return;
    }
    const auto lut = ocio::Lut1DTransform::Create(curve_nodes, false);
    for (unsigned i = 0; i < curve_nodes; ++i) {
        const double v = static_cast<double>(i) / (curve_nodes - 1);
        const auto out = static_cast<float>(to_codes ? colour::encode(transfer, v) : colour::decode(transfer, v));
        lut->setValue(i, out, out, out);
    }
    group->appendTransform(lut);
}

/// Codes of a range to 0 to 1, as LUTs take them.
struct Span {
    double low, high;
    void add(const ocio::GroupTransformRcPtr& group) const {
        const colour::Mat3 scale = colour::Mat3::Identity() / (high - low);
        const auto m = ocio_matrix(scale);
        const double offset[4] = {-low / (high - low), -low / (high - low), -low / (high - low), 0};
        m->setOffset(offset);
        if (low != 0 || high != 1) group->appendTransform(m);
    }
    double code(unsigned long i, unsigned long nodes) const {
        return low + (high - low) * static_cast<double>(i) / static_cast<double>(nodes - 1);
    }
};

void add_grid(const ocio::GroupTransformRcPtr& group, const look::Look& look, unsigned long nodes, const Span& span) {
    span.add(group);
    const auto lut = ocio::Lut3DTransform::Create(nodes);
    lut->setInterpolation(ocio::INTERP_TETRAHEDRAL);
    for (unsigned long r = 0; r < nodes; ++r)
        for (unsigned long g = 0; g < nodes; ++g)
            for (unsigned long b = 0; b < nodes; ++b) {
                const Vec3 v = look::looked(look, {span.code(r, nodes), span.code(g, nodes), span.code(b, nodes)});
                lut->setValue(r, g, b, static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2]));
            }
    group->appendTransform(lut);
}

/// Its stages one by one, on codes of sRGB: a CDL is exact, a LUT keeps its nodes.
void add_look(const ocio::GroupTransformRcPtr& group, const look::Look& look) {
    constexpr Span usual{0, 1}, beyond{-0.5, 2.5}, about{-0.125, 1.5};
    if (look.brought && look.brought->cdl) {
        const look::Cdl& c = *look.brought->cdl;
        const auto cdl = ocio::CDLTransform::Create();
        cdl->setStyle(ocio::CDL_ASC);
        cdl->setSlope(c.slope.data());
        cdl->setOffset(c.offset.data());
        cdl->setPower(c.power.data());
        cdl->setSat(c.saturation);
        group->appendTransform(cdl);
    } else if (look.brought) {
        look::Look alone;
        alone.brought = look.brought;
        add_grid(group, alone, static_cast<unsigned long>(look.brought->size), usual);
    }
    if (!look.curve.empty()) {
        beyond.add(group);
        const auto lut = ocio::Lut1DTransform::Create(curve_nodes, false);
        for (unsigned i = 0; i < curve_nodes; ++i) {
            const auto out = static_cast<float>(look::on_look_curve(look.curve, beyond.code(i, curve_nodes)));
            lut->setValue(i, out, out, out);
        }
        group->appendTransform(lut);
    }
    look::Look ring;
    ring.ring = look.ring;
    if (!ring.changes_nothing()) add_grid(group, ring, look_nodes, look.brought && look.curve.empty() ? usual : about);
}

} // namespace

void write_display_curve(const fit::Correction& c, const std::string& scene, const std::string& display,
                         const std::filesystem::path& file) {
    const colour::RgbSpace &from = colour::rgb_space(scene), &to = colour::rgb_space(display);
    if (from.transfer != colour::Transfer::linear)
        throw Error(ErrorKind::usage, scene + " is not scene-linear", {}, "Choose acescg or linear-bt709");
    const auto group = ocio::GroupTransform::Create();
    ocio::FormatMetadata& words = group->getFormatMetadata();
    const std::string name = title_of(c) + ", display curve";
    words.setName(name.c_str());
    words.setID(name.c_str());
    words.addChildElement(ocio::METADATA_DESCRIPTION, ("Refero " + std::string(program_version())).c_str());
    words.addChildElement(ocio::METADATA_INPUT_DESCRIPTOR, ("Scene-linear, " + from.name).c_str());
    words.addChildElement(ocio::METADATA_OUTPUT_DESCRIPTOR, to.name.c_str());
    const colour::Mat3 finished = look::matrix_of(c.finish, c.light) * from.to_xyz_d50();
    if (c.look.empty()) {
        add_matrix(group, to.to_xyz_d50().inverse() * finished);
    } else { // a look works on codes of sRGB
        const colour::RgbSpace& srgb = colour::rgb_space("srgb");
        add_matrix(group, srgb.to_xyz_d50().inverse() * finished);
        add_transfer(group, srgb.transfer, true, false);
        add_look(group, c.look);
        if (to.name != srgb.name) {
            add_transfer(group, srgb.transfer, false, false);
            add_matrix(group, to.to_xyz_d50().inverse() * srgb.to_xyz_d50());
        }
    }
    if (c.look.empty() || to.name != "srgb") add_transfer(group, to.transfer, true);
    std::ostringstream text;
    try {
        group->write(ocio::Config::CreateRaw(), "Academy/ASC Common LUT Format", text);
    } catch (const ocio::Exception& problem) {
        throw Error(ErrorKind::internal, std::string("the curve cannot be written: ") + problem.what(), file);
    }
    write_whole(file, text.str());
}

} // namespace refero::handover
