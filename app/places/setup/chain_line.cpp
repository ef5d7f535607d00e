#include "chain_line.hpp"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>

#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/link_glyph.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr int picture_width = 54, picture_height = 36;
constexpr double line_y = 20;        ///< of the line that joins the links
constexpr QSizeF glyph_size(32, 20); ///< of a link, which lies on it

// A small picture of what a step is about; null where there is nothing to show.
QImage small_picture(Step step, const Chain& s, const Desk& desk) {
    if (step == Step::shot)
        return desk.pictures.small(s.id).isNull()
                   ? QImage()
                   : desk.pictures.small(s.id).scaledToWidth(2 * picture_width, Qt::SmoothTransformation);
    const bool reading = step == Step::reading && s.shot && s.reference;
    const bool proof = step == Step::proof && s.proof, correction = step == Step::correction && s.correction && s.shot;
    if (!reading && !proof && !correction) return {};
    const chart::Definition* d = s.shot ? &s.shot->definition : nullptr;
    if (!d) return {};
    QImage image(2 * picture_width, 2 * picture_height, QImage::Format_RGB32);
    image.fill(QColor(40, 40, 40));
    QPainter painter(&image);
    const double k = std::min(image.width() / d->width_mm, image.height() / d->height_mm);
    const QPointF at((image.width() - k * d->width_mm) / 2, (image.height() - k * d->height_mm) / 2);
    for (const chart::Patch& p : d->patches) {
        QColor colour;
        if (reading) {
            const auto xyz = s.reference->xyz.find(p.id);
            if (xyz == s.reference->xyz.end()) continue;
            colour = colour_of(xyz->second);
        } else if (correction) { // the patches as they come out of it
            const auto* r = s.shot->reading.find(p.id);
            if (!r || !r->pixels) continue;
            colour = colour_of((*s.correction)(colour::Vec3(r->mean[0], r->mean[1], r->mean[2])));
        } else {
            const auto found = std::find_if(s.proof->patches.begin(), s.proof->patches.end(),
                                            [&](const auto& q) { return q.id == p.id; });
            if (found == s.proof->patches.end()) continue;
            // Differences as tone: white is 0, black 5 CIEDE2000 and more.
            const int v = static_cast<int>(255 * (1 - std::min(1.0, found->delta_e_2000 / 5)));
            colour = QColor(v, v, v);
        }
        painter.fillRect(QRectF(at.x() + k * p.x_mm, at.y() + k * p.y_mm, k * p.w_mm, k * p.h_mm), colour);
    }
    return image;
}

} // namespace

ChainLink::ChainLink(Step step, QWidget* parent) : QAbstractButton(parent), step_(step) {
    setCheckable(true);
    setAutoExclusive(true);
    setText(name_of(step));
    setCursor(Qt::PointingHandCursor);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void ChainLink::set(const Chain& s, const Desk& desk, LinkState last, LinkState next) {
    state_ = s.link(step_);
    next_state_ = next;
    last_state_ = last;
    figure_ = figure_of(s, step_, desk.tasks);
    next_ = next_of(s, step_, desk.tasks);
    picture_ = small_picture(step_, s, desk);
    setAccessibleName(QString("%1: %2. %3").arg(text(), name_of(state_), figure_));
    setToolTip(tr("%1: %2").arg(text(), name_of(state_)) + (next_.isEmpty() ? QString() : tr("\nNext: %1").arg(next_)));
    update();
}

void ChainLink::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (isChecked() || underMouse()) {
        // Open downwards: into the workspace.
        painter.setPen(Qt::NoPen);
        painter.setBrush(isChecked() ? t.panel : t.raised);
        painter.drawRoundedRect(QRectF(rect()).adjusted(2, 2, -2, isChecked() ? 12 : -2), 6, 6);
    }
    if (hasFocus()) {
        painter.setPen(QPen(t.text, 2));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(QRectF(rect()).adjusted(3, 3, -3, -3), 6, 6);
    }
    // A link lies on the line, which goes on where the evidence does.
    const QRectF glyph(QPointF(12, line_y - glyph_size.height() / 2), glyph_size);
    painter.setPen(QPen(t.text, 2));
    if (state_ == LinkState::whole && last_state_ == LinkState::whole)
        painter.drawLine(QPointF(0, line_y), QPointF(glyph.left(), line_y));
    if (state_ == LinkState::whole && next_state_ == LinkState::whole)
        painter.drawLine(QPointF(glyph.right(), line_y), QPointF(width(), line_y));
    painter.save();
    painter.translate(glyph.center());
    painter.rotate(90);
    draw_link(painter, QRectF(-glyph.height() / 2, -glyph.width() / 2, glyph.height(), glyph.width()), state_, t.text);
    painter.restore();
    // Words under it, and what it is about beside them.
    QRectF inner(12, line_y + glyph_size.height() / 2 + 4, width() - 20,
                 height() - line_y - glyph_size.height() / 2 - 8);
    if (!picture_.isNull()) {
        const QRectF frame(inner.right() - picture_width, inner.center().y() - picture_height / 2.0, picture_width,
                           picture_height);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(frame, picture_);
        inner.setRight(frame.left() - 4);
    }
    double y = inner.top();
    const auto line = [&](const QFont& f, const QColor& colour, const QString& words) {
        const double high = QFontMetricsF(f).height();
        painter.setFont(f);
        painter.setPen(colour);
        painter.drawText(QRectF(inner.left(), y, inner.width(), high), Qt::AlignLeft | Qt::AlignVCenter,
                         QFontMetrics(f).elidedText(words, Qt::ElideRight, static_cast<int>(inner.width())));
        y += high;
    };
    line(small_font(), t.dim, text());
    line(figure_.isEmpty() ? font() : title_font(), figure_.isEmpty() ? t.dim : t.text,
         figure_.isEmpty() ? name_of(state_) : figure_);
}

ChainLine::ChainLine(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      camera_(new FlowLabel),
      light_(new FlowLabel) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 6, 8, 0);
    row->setSpacing(0);
    auto* whose = new QVBoxLayout;
    whose->setSpacing(1);
    camera_->setFont(title_font());
    light_->setProperty("dim", true);
    for (QLabel* label : {camera_, light_}) {
        label->setFixedWidth(150);
        whose->addWidget(label);
    }
    whose->addStretch();
    row->addLayout(whose);
    row->addSpacing(8);
    for (int i = 0; i < step_count; ++i) {
        auto* link = new ChainLink(static_cast<Step>(i));
        links_[static_cast<std::size_t>(i)] = link;
        row->addWidget(link, 1);
        connect(link, &QAbstractButton::clicked, this, [this, i] { choose(static_cast<Step>(i)); });
    }
}

void ChainLine::choose(Step step) {
    chosen_ = step;
    link(step)->setChecked(true);
    if (const QWidget* focused = focusWidget(); focused && focused->hasFocus()) link(step)->setFocus();
    emit step_chosen(step);
}

void ChainLine::show_setup(Id setup) {
    const Chain& s = desk_.chains.at(setup);
    const shoot::Shoot& job = desk_.job.shoot();
    const auto text = [](const std::string& t) { return QString::fromStdString(t); };
    const QString lens = text(shoot::name_in(job.lenses, s.row.lens)),
                  mode = text(shoot::name_in(job.modes, s.row.mode));
    camera_->setText(text(shoot::name_in(job.cameras, s.row.camera)) + (lens.isEmpty() ? "" : ", " + lens));
    const shoot::LightRecord* light = shoot::record(job.lights, s.row.light);
    const QString place = light ? text(shoot::name_in(job.places, light->place)) : QString();
    light_->setText((light ? text(light->name) : QString()) + (place.isEmpty() ? "" : ", " + place) +
                    (mode.isEmpty() ? "" : "\n" + mode) + (s.balance_only() ? tr(", balance only") : QString()));
    steps_ = s.steps();
    for (int i = 0; i < step_count; ++i)
        links_[static_cast<std::size_t>(i)]->setVisible(std::find(steps_.begin(), steps_.end(), static_cast<Step>(i)) !=
                                                        steps_.end());
    for (std::size_t i = 0; i < steps_.size(); ++i)
        link(steps_[i])->set(s, desk_, i ? s.link(steps_[i - 1]) : LinkState::missing,
                             i + 1 < steps_.size() ? s.link(steps_[i + 1]) : LinkState::missing);
}

void ChainLine::keyPressEvent(QKeyEvent* event) {
    const auto at = std::find(steps_.begin(), steps_.end(), chosen_);
    if (event->key() == Qt::Key_Right && at != steps_.end() && at + 1 != steps_.end()) choose(at[1]);
    else if (event->key() == Qt::Key_Left && at != steps_.end() && at != steps_.begin()) choose(at[-1]);
    else return QWidget::keyPressEvent(event);
    link(chosen_)->setFocus();
}

} // namespace refero::app
