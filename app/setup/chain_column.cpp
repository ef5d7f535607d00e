#include "chain_column.hpp"

#include <QKeyEvent>
#include <QPainter>
#include <QVBoxLayout>

#include "../theme.hpp"
#include "../widgets/link_glyph.hpp"
#include "../widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr int picture_width = 66, picture_height = 44;

// A small picture of what a step is about; null where there is nothing to show.
QImage small_picture(Step step, const Chain& s, const Desk& desk) {
    if (step == Step::shot)
        return desk.pictures.small(s.id).isNull()
                   ? QImage()
                   : desk.pictures.small(s.id).scaledToWidth(2 * picture_width, Qt::SmoothTransformation);
    const bool reading = step == Step::reading && s.shot && s.reference;
    const bool proof = step == Step::proof && s.proof;
    if (!reading && !proof) return {};
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

ChainCard::ChainCard(Step step, QWidget* parent) : QAbstractButton(parent), step_(step) {
    setCheckable(true);
    setAutoExclusive(true);
    setText(name_of(step));
    setCursor(Qt::PointingHandCursor);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
    setMinimumHeight(72);
    setMaximumHeight(120);
}

void ChainCard::set(const Chain& s, const Desk& desk, LinkState last, LinkState next) {
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

void ChainCard::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF body(34, 4, width() - 38, height() - 8);
    const bool chosen = isChecked();
    painter.setPen(QPen(hasFocus() ? t.text : chosen || underMouse() ? t.dim : t.line, hasFocus() ? 2 : 1));
    painter.setBrush(chosen ? t.raised : t.panel);
    painter.drawRoundedRect(body, 6, 6);
    // The chain: a line from card to card, broken where evidence is missing.
    const QRectF glyph(3, height() / 2.0 - 19, 24, 38);
    painter.setPen(QPen(t.text, 2));
    const double x = glyph.center().x();
    if (state_ == LinkState::whole && last_state_ == LinkState::whole)
        painter.drawLine(QPointF(x, 0), QPointF(x, glyph.top()));
    if (state_ == LinkState::whole && next_state_ == LinkState::whole)
        painter.drawLine(QPointF(x, glyph.bottom()), QPointF(x, height()));
    draw_link(painter, glyph.adjusted(0, 2, 0, -2), state_, t.text);
    // Words.
    QRectF inner = body.adjusted(11, 7, -9, -6);
    if (!picture_.isNull()) {
        const QRectF frame(inner.right() - picture_width, inner.center().y() - picture_height / 2.0, picture_width,
                           picture_height);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(frame, picture_);
        inner.setRight(frame.left() - 6);
    }
    QFont head = small_font();
    const QFont key = title_font();
    const QString figure = figure_.isEmpty() ? name_of(state_) : figure_;
    const QString last = !next_.isEmpty() ? "\u2192 " + next_ : state_ == LinkState::worn ? name_of(state_) : QString();
    const double head_height = QFontMetricsF(head).height(), key_height = QFontMetricsF(key).height();
    double y = inner.center().y() - (head_height + key_height + (last.isEmpty() ? 0 : head_height + 2)) / 2;
    const auto line = [&](const QFont& f, const QColor& colour, double height, const QString& words) {
        painter.setFont(f);
        painter.setPen(colour);
        painter.drawText(QRectF(inner.left(), y, inner.width(), height), Qt::AlignLeft | Qt::AlignVCenter,
                         QFontMetrics(f).elidedText(words, Qt::ElideRight, static_cast<int>(inner.width())));
        y += height;
    };
    line(head, t.dim, head_height, text());
    line(figure_.isEmpty() ? font() : key, figure_.isEmpty() ? t.dim : t.text, key_height, figure);
    y += 2;
    if (!last.isEmpty()) line(small_font(), t.text, head_height, last);
}

ChainColumn::ChainColumn(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      camera_(new QLabel),
      light_(new QLabel) {
    setFixedWidth(250);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(10, 10, 8, 8);
    layout->setSpacing(0);
    camera_->setFont(title_font());
    light_->setProperty("dim", true);
    light_->setWordWrap(true);
    layout->addWidget(camera_);
    layout->addWidget(light_);
    layout->addSpacing(6);
    for (int i = 0; i < step_count; ++i) {
        auto* card = new ChainCard(static_cast<Step>(i));
        cards_[static_cast<std::size_t>(i)] = card;
        layout->addWidget(card, 1);
        connect(card, &QAbstractButton::clicked, this, [this, i] { choose(static_cast<Step>(i)); });
    }
    layout->addStretch();
}

void ChainColumn::choose(Step step) {
    chosen_ = step;
    card(step)->setChecked(true);
    if (const QWidget* focused = focusWidget(); focused && focused->hasFocus()) card(step)->setFocus();
    emit step_chosen(step);
}

void ChainColumn::show_setup(Id setup) {
    const Chain& s = desk_.chains.at(setup);
    const plan::Shoot& job = desk_.job.shoot();
    const auto text = [](const std::string& t) { return QString::fromStdString(t); };
    const QString lens = text(plan::name_in(job.lenses, s.row.lens)), mode = text(plan::name_in(job.modes, s.row.mode));
    camera_->setText(text(plan::name_in(job.cameras, s.row.camera)) + (lens.isEmpty() ? "" : ", " + lens));
    const plan::Light* light = plan::record(job.lights, s.row.light);
    const QString place = light ? text(plan::name_in(job.places, light->place)) : QString();
    light_->setText((light ? text(light->name) : QString()) + (place.isEmpty() ? "" : ", " + place) +
                    (mode.isEmpty() ? "" : "\n" + mode) + (s.balance_only() ? tr(", balance only") : QString()));
    steps_ = s.steps();
    for (int i = 0; i < step_count; ++i)
        cards_[static_cast<std::size_t>(i)]->setVisible(std::find(steps_.begin(), steps_.end(), static_cast<Step>(i)) !=
                                                        steps_.end());
    for (std::size_t i = 0; i < steps_.size(); ++i)
        card(steps_[i])->set(s, desk_, i ? s.link(steps_[i - 1]) : LinkState::missing,
                             i + 1 < steps_.size() ? s.link(steps_[i + 1]) : LinkState::missing);
}

void ChainColumn::keyPressEvent(QKeyEvent* event) {
    const auto at = std::find(steps_.begin(), steps_.end(), chosen_);
    if (event->key() == Qt::Key_Down && at != steps_.end() && at + 1 != steps_.end()) choose(at[1]);
    else if (event->key() == Qt::Key_Up && at != steps_.end() && at != steps_.begin()) choose(at[-1]);
    else return QWidget::keyPressEvent(event);
    card(chosen_)->setFocus();
}

} // namespace refero::app
