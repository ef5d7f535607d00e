#include "clip_panel.hpp"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "../theme.hpp"
#include "apply/apply.hpp"
#include "frame/clip.hpp"

namespace refero::app {

ClipPanel::ClipPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      picture_(new QLabel),
      time_(new QLabel),
      slider_(new QSlider(Qt::Horizontal)),
      take_(new QPushButton(tr("The chart is seen here"))) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    picture_->setFixedSize(288, 162);
    picture_->setAlignment(Qt::AlignCenter);
    picture_->setStyleSheet(QString("background: %1").arg(Theme::now().surround.name()));
    row->addWidget(picture_);
    row->addSpacing(10);
    auto* column = new QVBoxLayout;
    auto* words =
        new QLabel(tr("Move along the clip to a picture that shows the chart well: still, sharp, evenly lit."));
    words->setProperty("dim", true);
    words->setWordWrap(true);
    column->addStretch();
    column->addWidget(words);
    column->addWidget(slider_);
    auto* line = new QHBoxLayout;
    line->addWidget(time_);
    line->addStretch();
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
        time_->setText(tr("%1 s").arg(position_s(), 0, 'f', 1));
        delay_.start();
    });
    connect(take_, &QPushButton::clicked, this, [this] {
        const plan::Frame* f = desk_.job.frame(frame_);
        if (!f) return;
        if (!f->setup) return desk_.notices.tell(tr("Put the clip into a setup first."));
        desk_.frames.make_chart_shot(frame_, f->setup, position_s());
    });
    hide();
}

void ClipPanel::set_frame(Id id) {
    const plan::Frame* f = id ? desk_.job.frame(id) : nullptr;
    setVisible(f && f->kind == plan::FrameKind::clip && f->problem.empty());
    if (!isVisibleTo(parentWidget()) || id == frame_) return;
    frame_ = id;
    slider_->setRange(0, std::max(0, static_cast<int>(1000 * f->duration_s) - 1));
    slider_->setValue(static_cast<int>(1000 * f->position_s));
    time_->setText(tr("%1 s").arg(position_s(), 0, 'f', 1));
    show_picture();
}

void ClipPanel::show_picture() {
    const plan::Frame* f = desk_.job.frame(frame_);
    if (!f) return;
    desk_.tasks.run_quietly(
        {},
        [self = QPointer(this), file = fs::path(f->path), at = position_s(),
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
