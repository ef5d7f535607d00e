#include "model/pictures/pictures.hpp"

#include <QColorSpace>
#include <QTransform>

#include "frame/preview.hpp"
#include "frame/sequence.hpp"
#include "model/document.hpp"
#include "model/pictures/kept_pictures.hpp"

namespace refero::app {

namespace {

constexpr std::size_t most_pictures = 3; ///< setups whose pixels stay in memory
/// Wide enough for the screen; what was made elsewhere takes longer a pixel.
constexpr int elsewhere_width = 1500;

prove::Rendering rendering_of(const Comparison& c, const frame::Frame& f, const balance::Balance& balance) {
    if (c.with == Comparison::With::elsewhere)
        return prove::open_elsewhere(c.other.file, c.other.usage, balance).rendering;
    if (!f.camera_from_xyz)
        throw Error(ErrorKind::input, "the file has no colour matrix", f.file, "Compare with something else");
    return prove::standard_rendering(*f.camera_from_xyz, balance);
}

/// What a picture in memory shows: a file, a still of it, a curve.
std::string shown_key(const operations::FrameSource& s) {
    return s.file.string() + formatted("|{:g}|{:g}|", s.position_s, s.clip_code) + s.encoding;
}

/// The camera's own small picture in a raw file, upright; null where there is none.
QImage preview_in(const fs::path& file) {
    constexpr int least_width = 240; // else the raw data tell more
    if (frame::kind_of(file) != frame::FileKind::raw) return {};
    const auto preview = frame::embedded_preview(file, thumbnail_width);
    QImage image;
    if (!preview || !image.loadFromData(QByteArray::fromStdString(preview->jpeg), "JPEG")) return {};
    if (std::max(image.width(), image.height()) < least_width) return {};
    if (image.colorSpace().isValid()) image.convertToColorSpace(QColorSpace(QColorSpace::SRgb));
    static constexpr struct {
        int degrees;
        bool mirrored; // across, before it is turned to the right
    } turns[] = {{0, false}, {0, true}, {180, false}, {180, true}, {270, true}, {90, false}, {90, true}, {270, false}};
    const auto& turn = turns[preview->orientation - 1];
    if (turn.mirrored) image = image.mirrored(true, false);
    image = image.transformed(QTransform().rotate(turn.degrees));
    return image.scaledToWidth(std::min(thumbnail_width, image.width()), Qt::SmoothTransformation);
}

} // namespace

Rendition uncorrected_rendition(const frame::Frame& frame, const std::string& key, std::stop_token stop) {
    Rendition picture = rendition_of(apply::uncorrected(frame, apply::viewing_gains(frame), "srgb", stop), frame);
    keep_picture(key, picture.small(thumbnail_width));
    return picture;
}

Pictures::Pictures(JobDocument& job, Chains& chains, Tasks& tasks, Notices& notices)
    : job_(job),
      chains_(chains),
      tasks_(tasks),
      notices_(notices) {
    connect(&chains, &Chains::setup_changed, this, &Pictures::follow);
    connect(&job, &JobDocument::closing, this, [this] {
        shown_.clear();
        small_.clear();
        looked_at_.clear();
        failed_.clear();
    });
}

const Pictures::Shown& Pictures::of(Id setup) const {
    static const Shown none;
    const auto at = shown_.find(setup);
    if (at == shown_.end() || !chains_.has(setup)) return none;
    // Another chart shot, or another curve, is another picture.
    return at->second.key == shown_key(chains_.at(setup).source) ? at->second : none;
}

QImage Pictures::small(Id setup) const {
    const auto at = small_.find(setup);
    return at == small_.end() ? QImage() : at->second.image;
}

// The small picture of what the chain says now: a kept one at once, another when it has been made.
void Pictures::follow(Id setup) {
    const Chain& c = chains_.at(setup);
    if (!c.chart_shot || c.source.sha256.empty()) {
        small_.erase(setup);
        return;
    }
    const std::string plain = picture_key(c.source);
    const std::string wanted = c.correction_id ? corrected_key(c.source, c.correction_content) : plain;
    Small& now = small_[setup];
    if (now.key == wanted && !now.image.isNull()) return;
    const bool same_frame = now.key.starts_with(plain);
    QImage image = kept_picture(wanted);
    if (image.isNull() && wanted != plain) image = kept_picture(plain);
    if (!image.isNull() || !same_frame) now.image = image;
    now.key = wanted;
    if (!now.image.isNull() || !c.shot || tasks_.busy(Doing::reading, setup)) return; // a reading brings its own
    thumbnail(c.chart_frame.id, [this, setup, wanted](const QImage& made) {
        const auto at = small_.find(setup);
        if (at == small_.end() || at->second.key != wanted || !at->second.image.isNull()) return;
        at->second.image = made;
        emit changed(setup);
    });
}

void Pictures::look_at(Id setup) {
    if (!chains_.has(setup)) return;
    std::erase(looked_at_, setup);
    looked_at_.push_back(setup);
    let_go(setup);
    const Chain& c = chains_.at(setup);
    const std::string key = shown_key(c.source);
    if (!c.chart_shot || of(setup).frame || failed_.contains(key) || tasks_.busy(Doing::reading, setup) ||
        tasks_.busy(Doing::looking, setup))
        return;
    const operations::FrameSource source = c.source;
    tasks_.run(
        {Doing::looking, setup}, tr("Reading %1").arg(name_of_file(source.file)),
        [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            const auto frame =
                std::make_shared<const frame::Frame>(operations::read(source, frame::Size::measuring, progress, stop));
            const Rendition picture = uncorrected_rendition(*frame, picture_key(source), stop);
            return [=, this] { bring(setup, source, frame, picture); };
        },
        [=, this](const TaskEnd& end) {
            if (end.how != TaskEnd::How::failed) return;
            failed_.insert(key);
            notices_.tell(end.problem);
        });
}

void Pictures::bring(Id setup, const operations::FrameSource& source, std::shared_ptr<const frame::Frame> frame,
                     const Rendition& picture) {
    if (!chains_.has(setup)) return;
    if (Small& small = small_[setup]; small.image.isNull()) {
        small.image = picture.small(thumbnail_width);
        if (small.key.empty()) small.key = picture_key(source);
    }
    if (std::find(looked_at_.begin(), looked_at_.end(), setup) != looked_at_.end())
        shown_[setup] = {std::move(frame), picture, shown_key(source)};
    emit changed(setup);
}

void Pictures::let_go(Id but) {
    while (looked_at_.size() > most_pictures) {
        const Id oldest = looked_at_.front();
        looked_at_.erase(looked_at_.begin());
        if (oldest != but) shown_.erase(oldest);
    }
}

void Pictures::preview(Id id, Id frame, const Comparison& with, std::function<void(Rendition, Rendition)> show) {
    const Chain& c = chains_.at(id);
    const auto correction = c.correction;
    const auto chart_frame = frame == 0 ? of(id).frame : nullptr;
    const shoot::FrameRecord* row = frame ? job_.frame(frame) : &c.chart_frame;
    if (!row || (frame == 0 && !chart_frame)) return show({}, {});
    const operations::FrameSource source = operations::source_of(job_.shoot(), *row, c.row.mode);
    const auto balance = correction ? std::optional(correction->balance) : c.balance;
    const shoot::CorrectionRecord* kept =
        with.with == Comparison::With::version ? shoot::record(job_.shoot().corrections, with.version) : nullptr;
    const auto work = [=, version_text = kept ? kept->content : std::string()](
                          std::stop_token stop, const Progress& progress) -> Tasks::Then {
        const frame::Frame loaded =
            chart_frame ? frame::Frame{} : operations::read(source, frame::Size::measuring, {}, stop);
        const frame::Frame& f = chart_frame ? *chart_frame : loaded;
        progress(0.4);
        const auto strong = [&](const apply::Picture& p, const frame::Frame& of) {
            return with.chroma == 1 ? rendition_of(p, of) : rendition_of(apply::exaggerated(p, with.chroma), of);
        };
        Rendition before;
        if (!version_text.empty()) {
            before = strong(apply::corrected(f, fit::from_json(version_text, {}), "srgb", {}, stop), f);
        } else if (with.with == Comparison::With::balance || with.with == Comparison::With::version || !balance) {
            const colour::Vec3 gains =
                balance ? colour::Vec3(balance->exposure * balance->gains) : apply::viewing_gains(f);
            before = strong(apply::uncorrected(f, gains, "srgb", stop), f);
        } else {
            const frame::Frame small = frame::smaller(f, elsewhere_width);
            before = strong(apply::rendered(small, rendering_of(with, f, *balance), "srgb", stop), small);
        }
        progress(0.7);
        const Rendition after =
            correction ? strong(apply::corrected(f, *correction, "srgb", {}, stop), f) : Rendition{};
        return [show, before, after] { show(before, after); };
    };
    tasks_.run({}, tr("Developing %1").arg(name_of_file(source.file)), work);
}

void Pictures::pixels(Id id, Id frame, int most_width, std::function<void(std::shared_ptr<const frame::Frame>)> show) {
    const Chain& c = chains_.at(id);
    const shoot::FrameRecord* row = frame ? job_.frame(frame) : &c.chart_frame;
    if (!row || !row->id) return show(nullptr);
    const operations::FrameSource source = operations::source_of(job_.shoot(), *row, c.row.mode);
    const auto chart_frame = frame == 0 ? of(id).frame : nullptr;
    tasks_.run_quietly({}, [=](std::stop_token stop, const Progress&) -> Tasks::Then {
        auto all =
            chart_frame
                ? chart_frame
                : std::make_shared<const frame::Frame>(operations::read(source, frame::Size::measuring, {}, stop));
        if (most_width) all = std::make_shared<const frame::Frame>(frame::smaller(*all, most_width));
        return [show, all] { show(all); };
    });
}

void Pictures::thumbnail(Id frame, std::function<void(QImage)> show) {
    const shoot::FrameRecord* row = job_.frame(frame);
    if (!row || !row->problem.empty()) return;
    const operations::FrameSource source = operations::source_of(job_.shoot(), *row);
    const std::string key = picture_key(source);
    if (const QImage kept = kept_picture(key); !kept.isNull()) return show(kept);
    if (failed_.contains(shown_key(source)) || !frame::is_there(source.file)) return;
    tasks_.run_quietly(
        {},
        [=](std::stop_token stop, const Progress&) -> Tasks::Then {
            QImage image = preview_in(source.file);
            if (!image.isNull()) keep_picture(key, image);
            else {
                const frame::Frame pixels = operations::read(source, frame::Size::measuring, {}, stop);
                image = uncorrected_rendition(pixels, key, stop).small(thumbnail_width);
            }
            return [show, image] { show(image); };
        },
        [=, this](const TaskEnd& end) {
            if (end.how == TaskEnd::How::failed) failed_.insert(shown_key(source));
        });
}

} // namespace refero::app
