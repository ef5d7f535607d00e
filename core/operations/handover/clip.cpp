#include "operations/handover/clip.hpp"

#include <cmath>

#include <tbb/parallel_pipeline.h>

#include "apply/clip_writer.hpp"
#include "apply/kernel.hpp"
#include "frame/clip.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t pictures_in_memory = 3;
/// Pictures that a recording may lack at its end before it counts as cut short.
constexpr double missing_pictures = 1.6;

struct PictureUnderWay {
    double at_s = 0;
    frame::Frame pixels;
    std::vector<std::uint16_t> codes;
    int width = 0, height = 0;
};

/// Pictures of a range, one after another.
class Pictures {
public:
    Pictures(const FrameSource& source, std::stop_token stop)
        : source_(source),
          stop_(std::move(stop)),
          reader_(source.file) {
        options_.clip_code = source.clip_code;
        if (!source.encoding.empty()) options_.encoding = frame::Encoding::named(source.encoding);
    }
    const frame::Clip& clip() const { return reader_.clip(); }
    /// False at the end.
    bool next(PictureUnderWay& way) {
        std::optional<frame::Frame> f;
        if (!begun_ && source_.position_s > 0) f = reader_.still(source_.position_s, options_, stop_);
        else f = reader_.next(options_, stop_);
        begun_ = true;
        const double tolerance = 0.25 / std::max(1.0, clip().frames_per_second);
        if (!f || (source_.to_s >= 0 && reader_.shown_s() > source_.to_s + tolerance)) return false;
        way.at_s = last_s_ = reader_.shown_s();
        way.pixels = std::move(*f);
        return true;
    }
    /// Throws Error(input) where the recording ends long before it should.
    void check_whole() const {
        const double rate = clip().frames_per_second;
        const double end = source_.to_s >= 0 ? std::min(source_.to_s, clip().duration_s) : clip().duration_s;
        if (rate > 0 && (end - last_s_) * rate > missing_pictures)
            throw Error(
                ErrorKind::input,
                formatted("the clip is cut short: pictures end at {:.2f} s of {:.2f} s", last_s_, clip().duration_s),
                source_.file, "Copy it again from the card, or mark a range that is there");
    }

private:
    FrameSource source_;
    std::stop_token stop_;
    frame::ClipReader reader_;
    frame::StillOptions options_;
    bool begun_ = false;
    double last_s_ = 0;
};

} // namespace

Developed develop_clip(const Development& d, const fit::Correction& correction, const SecondLight& second,
                       const DevelopOptions& o, const std::string& record, std::stop_token stop) {
    if (frame::kind_of(d.source.file) != frame::FileKind::clip)
        throw Error(ErrorKind::input, "this is a picture, and " + name_of(o.format) + " is for clips", d.source.file,
                    "Choose tiff, exr, png or jpeg");
    const apply::Container container = apply::container_for(d.source.file, o.format, o.container);
    const apply::Encoder encoder(colour::rgb_space(o.space).transfer, 65535);
    Developed done;
    write_whole(
        d.target,
        [&](const fs::path& part) {
            Pictures pictures(d.source, stop);
            apply::ClipWriter writer(d.source.file, part, d.target,
                                     {o.format, container.name, o.space, d.source.position_s, d.source.to_s, record});
            std::optional<fit::Correction> its; // the same for all pictures
            using Way = std::shared_ptr<PictureUnderWay>;
            const auto take =
                tbb::make_filter<void, Way>(tbb::filter_mode::serial_in_order, [&](tbb::flow_control& flow) {
                    auto way = std::make_shared<PictureUnderWay>();
                    if (!pictures.next(*way)) {
                        flow.stop();
                        return Way();
                    }
                    if (!its) {
                        its = correction;
                        if (second.correction)
                            its = second.kelvin > 0 ? fit::between(correction, *second.correction,
                                                                   colour::Temperature{second.kelvin, 0})
                                                    : fit::between(correction, *second.correction, way->pixels);
                        done.exposure = exposure_for(o.exposure, *its, way->pixels.metadata);
                        if (o.exposure == FrameExposure::region)
                            done.exposure = {FrameExposure::chart, its->balance.exposure, "a clip follows no region"};
                        its->balance.exposure = done.exposure.factor;
                    }
                    return way;
                });
            const auto correct = tbb::make_filter<Way, Way>(tbb::filter_mode::parallel, [&](const Way& way) {
                way->width = way->pixels.width;
                way->height = way->pixels.height;
                const apply::Strips strips =
                    apply::strips_of(std::move(way->pixels), *its, o.space, o.parts, o.gamut, stop);
                const std::size_t row = static_cast<std::size_t>(way->width) * 3;
                way->codes.resize(row * static_cast<std::size_t>(way->height));
                constexpr int rows_at_a_time = 64;
                for (int y = 0; y < way->height; y += rows_at_a_time) {
                    const int rows = std::min(rows_at_a_time, way->height - y);
                    encoder(strips.rows(y, rows), row * static_cast<std::size_t>(rows),
                            &way->codes[row * static_cast<std::size_t>(y)]);
                }
                way->pixels = {};
                return way;
            });
            const auto write = tbb::make_filter<Way, void>(tbb::filter_mode::serial_in_order, [&](const Way& way) {
                throw_if_stopped(stop);
                writer.write(way->codes.data(), way->width, way->height, way->at_s);
            });
            tbb::parallel_pipeline(pictures_in_memory, take & correct & write);
            pictures.check_whole();
            writer.finish();
            if (second.correction) {
                done.between = its->choice;
                done.kelvin = its->light->kelvin;
            }
        },
        o.existing);
    done.file = d.target;
    done.kind = "clip";
    done.message = o.space + ", " + name_of(o.format) + (container.told.empty() ? "" : "; " + container.told);
    done.differences = fit::differences(correction, frame::Metadata{});
    return done;
}

} // namespace refero::operations
