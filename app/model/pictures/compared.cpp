#include "model/pictures/compared.hpp"

#include "apply/readout.hpp"
#include "fit/fit.hpp"
#include "model/document.hpp"
#include "operations/match/beside.hpp"

namespace refero::app {

namespace {

constexpr int most_width = 2400;      ///< of a compared picture, pixels
constexpr int difference_width = 900; ///< differences are of smoothed pictures

/// A chart's corners, or the frame's own, in a picture of this width.
chart::Corners corners_in(const std::optional<chart::Corners>& chart, const Rendition& picture, int width) {
    const double w = picture.full_width, h = picture.full_height, k = width / w;
    chart::Corners corners = chart.value_or(chart::Corners{chart::Point{0, 0}, {w, 0}, {w, h}, {0, h}});
    for (chart::Point& p : corners) p *= k;
    return corners;
}

/// The picture in linear light, in small.
apply::Picture linear(const Rendition& r) {
    const QSize size = r.levels.front().size();
    frame::Frame f;
    f.width = f.full_width = size.width();
    f.height = f.full_height = size.height();
    f.rgb = apply::picture_of(*r.deep, f.width, f.height, "srgb").rgb;
    const frame::Frame small = frame::smaller(f, difference_width);
    return {small.width, small.height, small.rgb, "srgb"};
}

} // namespace

const shoot::FrameRecord* ComparedPictures::row_of(const Compared& one) const {
    return chains_.has(one.setup) ? job_.frame(one.frame) : nullptr;
}

std::vector<Compared> ComparedPictures::offered(Id setup) const {
    std::vector<Compared> all;
    const auto of_frame = [&](const Chain& c, Id frame) {
        all.push_back({c.id, frame, Compared::As::balanced, 0});
        if (c.correction && !c.balance_only()) all.push_back({c.id, frame, Compared::As::corrected, 0});
    };
    for (const Id id : setup ? std::vector<Id>{setup} : chains_.ids()) {
        if (!chains_.has(id)) continue;
        const Chain& c = chains_.at(id);
        if (c.chart_frame.id) {
            of_frame(c, c.chart_frame.id);
            for (const shoot::CorrectionRecord& k : job_.shoot().corrections)
                if (k.setup == id && k.id != c.correction_id &&
                    (k.kind == shoot::CorrectionKind::plain || k.kind == shoot::CorrectionKind::rendering))
                    all.push_back({id, c.chart_frame.id, Compared::As::version, k.id});
        }
        if (setup)
            for (const Id frame : c.frames)
                if (const shoot::FrameRecord* f = job_.frame(frame); f && f->problem.empty()) of_frame(c, frame);
    }
    return all;
}

std::pair<QString, QString> ComparedPictures::name_of(const Compared& one) const {
    if (!chains_.has(one.setup)) return {};
    const shoot::FrameRecord* frame = row_of(one);
    const QString file = frame ? name_of_file(frame->path) : QString();
    const auto* kept = one.as == Compared::As::version ? shoot::record(job_.shoot().corrections, one.version) : nullptr;
    const QString how = one.as == Compared::As::balanced    ? QObject::tr("balanced")
                        : one.as == Compared::As::corrected ? QObject::tr("corrected")
                        : kept && !kept->name.empty()       ? QObject::tr("rendering %1").arg(qt(kept->name))
                        : kept ? QObject::tr("as of %1").arg(qt(kept->made).replace('T', ' ').remove('Z'))
                               : QObject::tr("a version that is gone");
    return {qt(chains_.at(one.setup).title), file + ", " + how};
}

void ComparedPictures::show(const Compared& one, std::function<void(Rendition)> show) {
    const shoot::FrameRecord* row = row_of(one);
    if (!row) return show({});
    const Chain& c = chains_.at(one.setup);
    const operations::FrameSource source = operations::source_of(job_.shoot(), *row, c.row.mode);
    const auto* kept = one.as == Compared::As::version ? shoot::record(job_.shoot().corrections, one.version) : nullptr;
    tasks_.run_quietly(
        {},
        [=, correction = c.correction, balance = c.correction ? std::optional(c.correction->balance) : c.balance,
         version = kept ? kept->content : std::string()](std::stop_token stop, const Progress&) -> Tasks::Then {
            const frame::Frame f =
                frame::smaller(operations::read(source, frame::Size::measuring, {}, stop), most_width);
            apply::Picture picture;
            if (!version.empty()) picture = apply::corrected(f, fit::from_json(version, {}), "srgb", {}, stop);
            else if (one.as == Compared::As::corrected && correction)
                picture = apply::corrected(f, *correction, "srgb", {}, stop);
            else
                picture = apply::uncorrected(
                    f, balance ? colour::Vec3(balance->exposure * balance->gains) : apply::viewing_gains(f), "srgb",
                    stop);
            return [show, made = rendition_of(picture, f)] { show(made); };
        },
        [this, show](const TaskEnd& end) {
            if (end.how != TaskEnd::How::failed) return;
            notices_.tell(end.problem);
            show({});
        });
}

bool ComparedPictures::can_be_laid(const Compared& first, const Compared& other) const {
    if (first.frame == other.frame) return true;
    const auto chart = [&](const Compared& one) {
        if (!chains_.has(one.setup)) return std::string();
        const Chain& c = chains_.at(one.setup);
        return c.shot && one.frame == c.chart_frame.id ? c.shot->placement.chart : std::string();
    };
    return !chart(first).empty() && chart(first) == chart(other);
}

void ComparedPictures::difference(const Compared& first, const Rendition& first_picture, const Compared& other,
                                  const Rendition& other_picture, double full,
                                  std::function<void(PictureDifference)> show) {
    if (first_picture.empty() || other_picture.empty() || !can_be_laid(first, other)) return show({});
    const bool same = first.frame == other.frame;
    const auto corners = [&](const Compared& one) {
        return same ? std::nullopt : std::optional(chains_.at(one.setup).shot->placement.corners);
    };
    tasks_.run_quietly(
        {}, [=, a = corners(first), b = corners(other)](std::stop_token stop, const Progress&) -> Tasks::Then {
            const apply::Picture one = linear(first_picture), two = linear(other_picture);
            const operations::Beside both = operations::beside(one, corners_in(a, first_picture, one.width), two,
                                                               corners_in(b, other_picture, two.width), stop);
            frame::Frame of;
            of.full_width = first_picture.full_width;
            of.full_height = first_picture.full_height;
            return [show, made = PictureDifference{rendition_of(operations::as_difference(both, full), of),
                                                   both.mean}] { show(made); };
        });
}

} // namespace refero::app
