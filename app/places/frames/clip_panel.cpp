#include "clip_panel.hpp"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QPainter>
#include <QStyleOptionSlider>
#include <QToolTip>
#include <QVBoxLayout>

#include "apply/apply.hpp"
#include "frame/clip.hpp"
#include "frame/timecode.hpp"
#include "operations/capture/footage.hpp"
#include "operations/handover/handover.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/link_glyph.hpp"

namespace refero::app {

TimeLine::TimeLine(QWidget* parent) : QSlider(Qt::Horizontal, parent) { setMinimumHeight(40); }

void TimeLine::set_marks(std::vector<Mark> marks) {
    marks_ = std::move(marks);
    update();
}

void TimeLine::set_range(double from_s, double to_s) {
    from_s_ = from_s;
    to_s_ = to_s;
    update();
}

int TimeLine::x_of(double position_s) const {
    QStyleOptionSlider o;
    initStyleOption(&o);
    const int handle = style()->pixelMetric(QStyle::PM_SliderLength, &o, this);
    return QStyle::sliderPositionFromValue(minimum(), maximum(), static_cast<int>(1000 * position_s),
                                           width() - handle) +
           handle / 2;
}

void TimeLine::paintEvent(QPaintEvent* event) {
    QSlider::paintEvent(event);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (to_s_ > from_s_) { // a bracket under the line
        p.setPen(QPen(Theme::now().text, 2));
        const int from = x_of(from_s_), to = x_of(to_s_), y = height() - 3;
        p.drawPolyline(QPolygon({{from, y - 5}, {from, y}, {to, y}, {to, y - 5}}));
    }
    for (const Mark& m : marks_) {
        const LinkState state = m.verdict == inspect::Status::reshoot   ? LinkState::broken
                                : m.verdict == inspect::Status::caution ? LinkState::worn
                                                                        : LinkState::whole;
        draw_link(p, QRectF(x_of(m.position_s) - 6, 0, 12, 15), state, Theme::now().text);
    }
}

bool TimeLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (const Mark& m : marks_)
            if (std::abs(help->pos().x() - x_of(m.position_s)) < 8 && help->pos().y() < 16) {
                QToolTip::showText(help->globalPos(), m.words, this);
                return true;
            }
    }
    return QSlider::event(event);
}

ClipPanel::ClipPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      picture_(new QLabel),
      time_(new QLabel),
      range_(new QLabel),
      slider_(new TimeLine),
      take_(new QPushButton(tr("The chart is seen here"))),
      find_(new QPushButton(tr("Find the chart"))),
      in_(new QPushButton(tr("Range from here"))),
      out_(new QPushButton(tr("to here"))),
      whole_(new QPushButton(tr("No range"))) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    picture_->setFixedSize(288, 162);
    picture_->setAlignment(Qt::AlignCenter);
    picture_->setStyleSheet(QString("background: %1").arg(Theme::now().surround.name()));
    row->addWidget(picture_);
    row->addSpacing(10);
    auto* column = new QVBoxLayout;
    auto* words = new FlowLabel(
        tr("Move along the clip to a picture that shows the chart well: still, sharp, evenly lit. Marks stand "
           "where it shows best: a whole one passes, an open one is a caution, a split one is to be shot "
           "again."));
    words->setProperty("dim", true);
    column->addStretch();
    column->addWidget(words);
    column->addWidget(slider_);
    auto* line = new QHBoxLayout;
    line->addWidget(time_);
    line->addSpacing(10);
    in_->setToolTip(tr("The pictures from here on are developed with the setup's frames (I)"));
    out_->setToolTip(tr("... up to here (O)"));
    whole_->setToolTip(tr("Only the picture that shows the chart is developed"));
    in_->setShortcut(QKeySequence(Qt::Key_I));
    out_->setShortcut(QKeySequence(Qt::Key_O));
    for (QPushButton* button : {in_, out_, whole_}) line->addWidget(button);
    range_->setProperty("dim", true);
    line->addWidget(range_);
    line->addStretch();
    find_->setToolTip(tr("Looks through the clip for the pictures that show a chart best: sharp, straight, unclipped, "
                         "nothing before it"));
    line->addWidget(find_);
    take_->setProperty("primary", true);
    take_->setToolTip(tr("Makes this picture the chart shot of the clip's setup"));
    line->addWidget(take_);
    column->addLayout(line);
    column->addStretch();
    row->addLayout(column, 1);
    slider_->setSingleStep(100);
    slider_->setPageStep(1000);
    slider_->setAccessibleName(tr("Time line"));
    delay_.setSingleShot(true);
    delay_.setInterval(60);
    connect(&delay_, &QTimer::timeout, this, &ClipPanel::show_picture);
    connect(slider_, &QSlider::valueChanged, this, [this] {
        show_place();
        delay_.start();
    });
    connect(in_, &QPushButton::clicked, this, [this] { mark(true); });
    connect(out_, &QPushButton::clicked, this, [this] { mark(false); });
    connect(whole_, &QPushButton::clicked, this, [this] { desk_.frames.mark_range(frame_, 0, 0); });
    connect(&desk_.job, &JobDocument::changed, this, &ClipPanel::show_range);
    connect(find_, &QPushButton::clicked, this, &ClipPanel::find_chart);
    connect(take_, &QPushButton::clicked, this, [this] {
        const shoot::FrameRecord* f = desk_.job.frame(frame_);
        if (!f) return;
        if (!f->setup) return desk_.notices.tell(tr("Put the clip into a setup first."));
        desk_.frames.make_chart_shot(frame_, f->setup, position_s());
    });
    hide();
}

void ClipPanel::set_frame(Id id) {
    const shoot::FrameRecord* f = id ? desk_.job.frame(id) : nullptr;
    setVisible(f && f->kind == shoot::FrameKind::clip && f->problem.empty());
    if (!isVisibleTo(parentWidget()) || id == frame_) return;
    frame_ = id;
    show_range();
    slider_->set_marks({});
    slider_->setRange(0, std::max(0, static_cast<int>(1000 * f->duration_s) - 1));
    slider_->setValue(static_cast<int>(1000 * f->position_s));
    show_place();
    show_picture();
}

namespace {

/// Where a picture of a clip lies: its time code where the recording has one, else seconds.
QString place_of(const shoot::FrameRecord& f, double position_s) {
    const std::string code = frame::timecode_after(f.timecode, f.frames_per_second,
                                                   static_cast<long>(position_s * f.frames_per_second + 1e-4));
    return code.empty() ? ClipPanel::tr("%1 s").arg(position_s, 0, 'f', 1) : qt(code);
}

} // namespace

void ClipPanel::show_place() {
    const shoot::FrameRecord* f = desk_.job.frame(frame_);
    if (!f) return;
    time_->setText(place_of(*f, position_s()));
    time_->setToolTip(f->timecode.empty() ? QString()
                                          : tr("%1 s from the beginning%2")
                                                .arg(position_s(), 0, 'f', 2)
                                                .arg(f->reel.empty() ? QString() : tr(", reel %1").arg(qt(f->reel))));
}

void ClipPanel::show_range() {
    const shoot::FrameRecord* f = desk_.job.frame(frame_);
    if (!f) return;
    slider_->set_range(f->from_s, f->to_s);
    whole_->setEnabled(f->has_range());
    range_->setText(f->has_range() ? tr("%1 to %2, %3 pictures")
                                         .arg(place_of(*f, f->from_s), place_of(*f, f->to_s))
                                         .arg(operations::stills_in(*f))
                                   : QString());
}

// A beginning after the end, or an end before the beginning, moves the other one along.
void ClipPanel::mark(bool in) {
    const shoot::FrameRecord* f = desk_.job.frame(frame_);
    if (!f) return;
    const double here = position_s(), end = f->has_range() ? f->to_s : f->duration_s;
    if (in) desk_.frames.mark_range(frame_, here, here < end ? end : f->duration_s);
    else desk_.frames.mark_range(frame_, here > f->from_s ? f->from_s : 0, here);
}

void ClipPanel::find_chart() {
    const shoot::FrameRecord* f = desk_.job.frame(frame_);
    if (!f) return;
    const operations::FrameSource source = operations::source_of(desk_.job.shoot(), *f);
    desk_.tasks.run(
        {Doing::searching, f->setup}, tr("Looking through %1").arg(qt(source.file.filename())),
        [self = QPointer<ClipPanel>(this), source, id = frame_,
         limits = operations::limits_of(desk_.job.shoot().brief())](std::stop_token stop,
                                                                    const Progress& progress) -> Tasks::Then {
            constexpr std::size_t most_marks = 8;
            operations::ShotOptions options{.position_s = -1, .clip_code = source.clip_code};
            if (!source.encoding.empty()) options.encoding = frame::Encoding::named(source.encoding);
            const auto seen = operations::chart_stills(source.file, options, progress, stop);
            const auto judged = operations::judged_stills(source.file, seen, options, limits, most_marks, stop);
            return [self, judged, id] {
                if (!self || self->frame_ != id) return;
                std::vector<TimeLine::Mark> marks;
                for (const operations::JudgedStill& j : judged) {
                    const QString verdict = qt(inspect::name_of(j.judgement.verdict));
                    const inspect::Finding& first = j.judgement.findings.front();
                    QString words = tr("%1 s: %2").arg(j.still.position_s, 0, 'f', 1).arg(verdict);
                    if (j.judgement.verdict != inspect::Status::pass) words += ", " + qt(first.advice);
                    marks.push_back({j.still.position_s, j.judgement.verdict, words});
                }
                self->slider_->set_marks(std::move(marks));
                const operations::JudgedStill* best = operations::best_of(judged);
                if (!best)
                    return self->desk_.notices.tell(
                        self->tr("No chart was found in this clip. Move along it to a picture that shows one."));
                self->slider_->setValue(static_cast<int>(std::ceil(1000 * best->still.position_s)));
                self->desk_.notices.tell(self->tr("The chart shows best at %1 s: %2")
                                             .arg(best->still.position_s, 0, 'f', 1)
                                             .arg(qt(inspect::name_of(best->judgement.verdict))));
            };
        });
}

void ClipPanel::show_picture() {
    const shoot::FrameRecord* f = desk_.job.frame(frame_);
    if (!f) return;
    desk_.tasks.run_quietly(
        {},
        [self = QPointer<ClipPanel>(this), file = fs::path(f->path), at = position_s(),
         request = ++request_](std::stop_token stop, const Progress&) -> Tasks::Then {
            const frame::Frame still = frame::read(file, {.position_s = at}, stop);
            const QImage image = rendition_of(apply::uncorrected(still, {1, 1, 1}, "srgb", stop), still).small(576);
            return [self, image, request] {
                if (!self || request != self->request_) return;
                QPixmap shown = QPixmap::fromImage(
                    image.scaled(self->picture_->size(), Qt::KeepAspectRatio, Qt::SmoothTransformation));
                self->picture_->setPixmap(shown);
            };
        });
}

} // namespace refero::app
