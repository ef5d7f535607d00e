// Where a chart is held: thin lens and depth of field.
#include <cmath>
#include <limits>
#include <map>
#include <numbers>

#include "chart/chart.hpp"
#include "plan/optics.hpp"
#include "plan/shot_list.hpp"

namespace refero::plan {

double thin_lens_distance_mm(double focal_mm, double magnification) { return focal_mm * (1 + 1 / magnification); }

double confusion_mm(const shoot::CameraRecord& camera) {
    return std::hypot(camera.sensor_width_mm, camera.sensor_height_mm) / 1500;
}

DepthOfField depth_of_field(double focal_mm, double f_number, double distance_mm, double confusion) {
    const double hyperfocal = focal_mm * focal_mm / (f_number * confusion) + focal_mm;
    DepthOfField d;
    d.near_mm = distance_mm * (hyperfocal - focal_mm) / (hyperfocal + distance_mm - 2 * focal_mm);
    d.far_mm = distance_mm < hyperfocal ? distance_mm * (hyperfocal - focal_mm) / (hyperfocal - distance_mm)
                                        : std::numeric_limits<double>::infinity();
    return d;
}

double wanted_share(const shoot::CameraRecord& camera, const shoot::CardRecord& card, shoot::ShareSchool school) {
    if (school == shoot::ShareSchool::tenth) return 0.1;
    const double m = 0.9 * std::min(camera.sensor_width_mm / card.width_mm, camera.sensor_height_mm / card.height_mm);
    return m * m * card.width_mm * card.height_mm / (camera.sensor_width_mm * camera.sensor_height_mm);
}

Holding hold(const shoot::CameraRecord& camera, const shoot::LensRecord& lens, const shoot::CardRecord& card,
             double smallest_patch, double f_number, double share) {
    Holding h;
    const double sensor = camera.sensor_width_mm * camera.sensor_height_mm, area = card.width_mm * card.height_mm;
    if (!(sensor > 0 && area > 0 && lens.focal_mm > 0 && share > 0)) return h;
    h.magnification = std::sqrt(share * sensor / area);
    h.distance_mm = thin_lens_distance_mm(lens.focal_mm, h.magnification);
    h.from_sensor_mm = h.distance_mm + lens.focal_mm * (1 + h.magnification);
    if (h.from_sensor_mm < 1000 * lens.nearest_m) {
        // As near as the lens focuses: from_sensor = f (2 + m + 1/m), solved for the smaller m.
        h.too_near = true;
        const double b = 1000 * lens.nearest_m / lens.focal_mm - 2;
        h.magnification = b > 2 ? (b - std::sqrt(b * b - 4)) / 2 : 1;
        h.distance_mm = thin_lens_distance_mm(lens.focal_mm, h.magnification);
        h.from_sensor_mm = h.distance_mm + lens.focal_mm * (1 + h.magnification);
    }
    h.share = h.magnification * h.magnification * area / sensor;
    h.patch_px = smallest_patch * h.magnification * camera.width_px / camera.sensor_width_mm;
    if (f_number > 0) {
        h.depth = depth_of_field(lens.focal_mm, f_number, h.distance_mm, confusion_mm(camera));
        const double half = std::hypot(card.width_mm, card.height_mm) / 2;
        const double room = std::min(h.distance_mm - h.depth.near_mm, h.depth.far_mm - h.distance_mm);
        h.largest_tilt_deg = room >= half ? 90 : std::asin(room / half) * 180 / std::numbers::pi;
    }
    return h;
}

double share_at(const shoot::CameraRecord& camera, const shoot::LensRecord& lens, const shoot::CardRecord& card,
                double from_sensor_mm) {
    const double b = from_sensor_mm / lens.focal_mm - 2;
    if (!(b > 2)) return 1;
    const double m = (b - std::sqrt(b * b - 4)) / 2;
    return std::min(1.0, m * m * card.width_mm * card.height_mm / (camera.sensor_width_mm * camera.sensor_height_mm));
}

double smallest_patch_mm(const shoot::CardRecord& card) {
    static const auto smallest = [] {
        std::map<std::string, double> by_id; // share of the chart's width
        for (const chart::Definition& d : chart::installed()) {
            double least = d.width_mm;
            for (const chart::Patch& p : d.patches) least = std::min({least, p.w_mm, p.h_mm});
            by_id[d.id] = least / d.width_mm;
        }
        return by_id;
    }();
    const auto at = smallest.find(card.definition);
    if (at != smallest.end()) return at->second * card.width_mm; // the same chart is made in several sizes
    return card.kind == shoot::CardKind::chart ? card.width_mm / 7 : std::min(card.width_mm, card.height_mm);
}

const shoot::CardRecord* card_for(const shoot::Shoot& shoot, const shoot::SetupRecord& setup) {
    if (const shoot::CardRecord* own = shoot::record(shoot.cards, setup.card)) return own;
    const shoot::CameraRecord* camera = shoot::record(shoot.cameras, setup.camera);
    const shoot::LensRecord* lens = shoot::record(shoot.lenses, setup.lens);
    if (!lens && !shoot.lenses.empty()) lens = &shoot.lenses.front();
    const shoot::CardRecord* best = nullptr;
    double least = std::numeric_limits<double>::infinity();
    for (const shoot::CardRecord& c : shoot.cards) {
        const bool kind_fits =
            c.kind == shoot::CardKind::chart ||
            (setup.balance_only && (c.kind == shoot::CardKind::grey_card || c.kind == shoot::CardKind::white_card));
        if (!kind_fits || !(c.width_mm > 0)) continue;
        double off = std::abs(std::log(c.width_mm / 200)); // the size that is held by hand
        if (camera && lens && setup.subject_m > 0)
            off = std::abs(std::log(share_at(*camera, *lens, c, 1000 * setup.subject_m) /
                                    wanted_share(*camera, c, shoot.brief().share_school)));
        if (setup.balance_only && c.kind == shoot::CardKind::chart) off += 10; // a card is for balance
        if (off < least) {
            best = &c;
            least = off;
        }
    }
    return best;
}

} // namespace refero::plan
