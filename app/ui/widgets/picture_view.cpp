#include "picture_view.hpp"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "model/pictures/screen_colour.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {
constexpr double handle = 9;      // half the size of a corner's handle
constexpr double fine_step = 0.5; // full-size pixels an arrow key moves
constexpr double coarse_step = 5;
} // namespace

PictureView::PictureView(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(240, 160);
    setAccessibleName(tr("Picture"));
    set_names(tr("Before: balanced only"), tr("After: corrected"));
    connect(&ScreenColour::now(), &ScreenColour::changed, this, qOverload<>(&QWidget::update));
}

void PictureView::set_picture(const Rendition& picture, const QString& empty_text) {
    const bool other =
        picture.full_width != before_.full_width || picture.full_height != before_.full_height || before_.empty();
    before_ = picture;
    empty_text_ = empty_text;
    if (other) touched_ = false;
    if (!touched_) settle();
    update();
}

void PictureView::set_after(const Rendition& after) {
    after_ = after;
    update();
}

void PictureView::set_chart(const chart::Definition* definition, const std::optional<chart::Corners>& corners,
                            bool editable) {
    const bool first = !corners_ && corners;
    definition_ = definition ? std::optional(*definition) : std::nullopt;
    if (drag_ != Drag::corner) corners_ = corners;
    editable_ = editable;
    if (!corners) corner_ = -1;
    if (first && chart_in_view_ && !touched_) settle();
    update();
}

void PictureView::select_patch(const QString& id) {
    selected_ = id;
    update();
}

// Asked for before the picture is there, it begins with the picture.
void PictureView::pick(const QStringList& words) {
    pick_words_ = words;
    picked_.clear();
    setFocus();
    setCursor(Qt::CrossCursor);
    update();
}

void PictureView::set_names(const QString& before, const QString& after) {
    name_before_ = before;
    name_after_ = after;
    update();
}

void PictureView::set_region(const std::optional<QRectF>& region) {
    region_ = region;
    update();
}

void PictureView::settle() {
    if (chart_in_view_ && corners_) show_chart();
    else show_whole();
    touched_ = false;
}

void PictureView::fit_rect(const QRectF& full) {
    if (full.isEmpty() || before_.empty()) return;
    scale_ = std::min(width() / full.width(), height() / full.height());
    origin_ = QPointF(width() / 2.0, height() / 2.0) - full.center() * scale_;
    update();
}

void PictureView::show_whole() { fit_rect(QRectF(0, 0, before_.full_width, before_.full_height)); }

void PictureView::show_chart() {
    if (!corners_) return show_whole();
    QPolygonF polygon;
    for (const auto& c : *corners_) polygon << QPointF(c.x(), c.y());
    const QRectF box = polygon.boundingRect();
    const double margin = 0.06 * std::max(box.width(), box.height());
    fit_rect(box.adjusted(-margin, -margin, margin, margin));
}

void PictureView::show_pixels() {
    if (before_.empty()) return;
    touched_ = true;
    const double one = static_cast<double>(before_.levels.front().width()) / before_.full_width;
    zoom_by(one / scale_, rect().center());
}

PictureView::Place PictureView::place() const {
    if (before_.empty()) return {{0.5, 0.5}, 1};
    const chart::Point c = to_full({width() / 2.0, height() / 2.0});
    return {{c.x() / before_.full_width, c.y() / before_.full_height},
            scale_ * before_.full_width / std::max(1, width())};
}

void PictureView::go_to(const Place& place) {
    if (before_.empty()) return;
    touched_ = true;
    scale_ = place.zoom * width() / before_.full_width;
    origin_ = QPointF(width() / 2.0, height() / 2.0) -
              QPointF(place.centre.x() * before_.full_width, place.centre.y() * before_.full_height) * scale_;
    update();
}

void PictureView::flip() {
    if (after_.empty()) return;
    flipped_ = flipped_ == Flip::split ? Flip::before : flipped_ == Flip::before ? Flip::after : Flip::split;
    update();
}

QPointF PictureView::to_widget(const chart::Point& p) const { return origin_ + QPointF(p.x(), p.y()) * scale_; }
chart::Point PictureView::to_full(const QPointF& p) const {
    return {(p.x() - origin_.x()) / scale_, (p.y() - origin_.y()) / scale_};
}

void PictureView::zoom_by(double factor, const QPointF& about) {
    if (before_.empty()) return;
    const double least = 0.5 * std::min(static_cast<double>(width()) / before_.full_width,
                                        static_cast<double>(height()) / before_.full_height);
    const double next = std::clamp(scale_ * factor, least, 24.0);
    origin_ = about + (origin_ - about) * (next / scale_);
    scale_ = next;
    keep_inside();
    update();
    emit moved();
}

// At least a part of the picture stays in view.
void PictureView::keep_inside() {
    const double w = before_.full_width * scale_, h = before_.full_height * scale_, rest = 60;
    origin_.setX(std::clamp(origin_.x(), rest - w, width() - rest));
    origin_.setY(std::clamp(origin_.y(), rest - h, height() - rest));
}

void PictureView::draw(QPainter& painter, const Rendition& picture, const QRectF& clip) const {
    if (picture.empty()) return;
    const QRectF whole(origin_, QSizeF(before_.full_width * scale_, before_.full_height * scale_));
    const QRectF target = whole & clip;
    if (target.isEmpty()) return;
    // The smallest level that still has a pixel for each screen pixel.
    const double wanted = whole.width() * devicePixelRatioF();
    const QImage* level = &picture.levels.front();
    for (const QImage& l : picture.levels)
        if (l.width() >= wanted) level = &l;
    const double k = level->width() / whole.width();
    const QRectF source((target.x() - whole.x()) * k, (target.y() - whole.y()) * k, target.width() * k,
                        target.height() * k);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, k > 0.4);
    painter.drawImage(target, ScreenColour::now().shown(*level), source);
    if (marks_clipping_) draw_clipping(painter, picture, target);
}

void PictureView::mark_clipping(bool on) {
    marks_clipping_ = on;
    update();
}

void PictureView::draw_clipping(QPainter& painter, const Rendition& picture, const QRectF& clip) const {
    if (!picture.clipping || picture.clipping->empty()) return;
    const int width = picture.levels.front().width(), height = picture.levels.front().height();
    const QRect on = clip.toAlignedRect() & rect();
    QImage marks(on.size(), QImage::Format_ARGB32_Premultiplied);
    marks.fill(Qt::transparent);
    constexpr int pitch = 7;
    const double k = width / (before_.full_width * scale_);
    for (int y = 0; y < on.height(); ++y) {
        auto* row = reinterpret_cast<QRgb*>(marks.scanLine(y));
        const int py = static_cast<int>((on.top() + y - origin_.y()) * k);
        if (py < 0 || py >= height) continue;
        for (int x = 0; x < on.width(); ++x) {
            const int px = static_cast<int>((on.left() + x - origin_.x()) * k);
            if (px < 0 || px >= width) continue;
            const std::uint8_t bits =
                (*picture.clipping)[static_cast<std::size_t>(py) * static_cast<std::size_t>(width) +
                                    static_cast<std::size_t>(px)];
            if (!bits) continue;
            const int at[] = {(on.left() + x + on.top() + y) % pitch, (on.top() + y) % pitch,
                              (on.left() + x - on.top() - y + 100 * pitch * pitch) % pitch};
            for (int c = 0; c < 3; ++c) {
                const bool input = (bits >> c) & 1, output = (bits >> (c + 3)) & 1;
                if (!(input || (output && (on.left() + x) % 4 < 2))) continue;
                if (at[c] == 0) row[x] = qRgb(255, 255, 255);
                else if (at[c] == 1) row[x] = qRgb(0, 0, 0); // seen on light and dark alike
            }
        }
    }
    painter.drawImage(on.topLeft(), marks);
    const auto shares = [&](int from) {
        return tr("R %1 %, G %2 %, B %3 %")
            .arg(100 * picture.clipped[static_cast<std::size_t>(from)], 0, 'f', 2)
            .arg(100 * picture.clipped[static_cast<std::size_t>(from) + 1], 0, 'f', 2)
            .arg(100 * picture.clipped[static_cast<std::size_t>(from) + 2], 0, 'f', 2);
    };
    const QString words =
        tr("input saturates (lines): %1\noutput leaves its range (dots): %2").arg(shares(0), shares(3));
    painter.setFont(small_font());
    const QRectF box = QFontMetricsF(small_font()).boundingRect(QRectF(0, 0, 700, 60), 0, words).adjusted(-9, -5, 9, 5);
    QRectF at(clip.left() + 10, 0, box.width(), box.height());
    at.moveBottom(rect().bottom() - 10);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 20, 20, 215));
    painter.drawRoundedRect(at, 4, 4);
    painter.setPen(Qt::white);
    painter.drawText(at.adjusted(9, 5, -9, -5), Qt::AlignLeft | Qt::AlignTop, words);
}

void PictureView::draw_tag(QPainter& painter, const QString& text, Qt::Alignment side) const {
    painter.setFont(small_font());
    const QRectF box = QFontMetricsF(small_font()).boundingRect(text).adjusted(-9, -5, 9, 5);
    QRectF at(0, 10, box.width(), box.height());
    at.moveLeft(side == Qt::AlignLeft ? 10 : width() - box.width() - 10);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 20, 20, 215));
    painter.drawRoundedRect(at, 4, 4);
    painter.setPen(Qt::white);
    painter.drawText(at, Qt::AlignCenter, text);
}

void PictureView::draw_chart(QPainter& painter) const {
    if (!corners_ || !definition_ || !chart::is_convex(*corners_)) return;
    painter.setRenderHint(QPainter::Antialiasing);
    const auto map = chart::pixels_from_mm(*definition_, *corners_);
    const auto polygon = [&](const chart::Corners& quad) {
        QPolygonF p;
        for (const auto& c : quad) p << to_widget(c);
        return p;
    };
    // Light over dark lines are seen on every patch.
    const auto outline = [&](const QPolygonF& p, double width) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 190), width + 2));
        painter.drawPolygon(p);
        painter.setPen(QPen(Qt::white, width));
        painter.drawPolygon(p);
    };
    for (const chart::Patch& patch : definition_->patches)
        outline(polygon(chart::patch_quad(patch, map, read::sampled_share)),
                QString::fromStdString(patch.id) == selected_ ? 4 : 1);
    if (!editable_) return;
    outline(polygon(*corners_), 1);
    static const char* names[] = {"1", "2", "3", "4"};
    for (std::size_t i = 0; i < 4; ++i) {
        const QPointF p = to_widget((*corners_)[i]);
        const bool chosen = static_cast<int>(i) == corner_;
        const double r = chosen ? handle + 2 : handle;
        painter.setPen(QPen(Qt::black, chosen ? 3 : 1.5));
        painter.setBrush(chosen ? QColor(Qt::white) : QColor(255, 255, 255, 170));
        painter.drawEllipse(p, r, r);
        painter.setPen(Qt::black);
        painter.setFont(small_font());
        painter.drawText(QRectF(p.x() - r, p.y() - r, 2 * r, 2 * r), Qt::AlignCenter, names[i]);
    }
}

void PictureView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), Theme::now().surround);
    if (before_.empty()) {
        painter.setPen(Theme::now().text);
        painter.drawText(rect().adjusted(30, 30, -30, -30), Qt::AlignCenter | Qt::TextWordWrap, empty_text_);
        return;
    }
    if (after_.empty()) {
        draw(painter, before_, rect());
    } else if (flipped_ != Flip::split) {
        draw(painter, flipped_ == Flip::before ? before_ : after_, rect());
        draw_tag(painter, flipped_ == Flip::before ? name_before_ : name_after_, Qt::AlignLeft);
    } else {
        const double x = split_ * width();
        draw(painter, before_, QRectF(0, 0, x, height()));
        draw(painter, after_, QRectF(x, 0, width() - x, height()));
        painter.fillRect(QRectF(x - 2, 0, 4, height()), QColor(0, 0, 0, 150));
        painter.fillRect(QRectF(x - 1, 0, 2, height()), Qt::white);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(Qt::black, 1.5));
        painter.setBrush(Qt::white);
        const QPointF c(x, height() / 2.0);
        painter.drawRoundedRect(QRectF(c.x() - 7, c.y() - 20, 14, 40), 7, 7);
        draw_tag(painter, name_before_, Qt::AlignLeft);
        draw_tag(painter, name_after_, Qt::AlignRight);
    }
    draw_chart(painter);
    if (region_) {
        const QRectF r(to_widget({region_->left(), region_->top()}), to_widget({region_->right(), region_->bottom()}));
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 190), 3));
        painter.drawRect(r);
        painter.setPen(QPen(Qt::white, 1, Qt::DashLine));
        painter.drawRect(r);
    }
    draw_loupe(painter);
    draw_colours(painter);
    if (picking()) {
        painter.setRenderHint(QPainter::Antialiasing);
        for (const chart::Point& p : picked_) {
            painter.setPen(QPen(Qt::black, 1.5));
            painter.setBrush(Qt::white);
            painter.drawEllipse(to_widget(p), handle, handle);
        }
        draw_tag(painter, pick_words_[static_cast<qsizetype>(picked_.size())], Qt::AlignLeft);
    }
    if (hasFocus()) {
        painter.setRenderHint(QPainter::Antialiasing, false);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(Theme::now().text, 2));
        painter.drawRect(rect().adjusted(1, 1, -1, -1));
    }
}

void PictureView::resizeEvent(QResizeEvent*) {
    if (!touched_) settle();
}

int PictureView::corner_at(const QPointF& p) const {
    if (!editable_ || !corners_) return -1;
    for (std::size_t i = 0; i < 4; ++i)
        if (QLineF(to_widget((*corners_)[i]), p).length() < handle + 5) return static_cast<int>(i);
    return -1;
}

bool PictureView::on_split(const QPointF& p) const {
    return !after_.empty() && flipped_ == Flip::split && std::abs(p.x() - split_ * width()) < 9;
}

void PictureView::wheelEvent(QWheelEvent* event) {
    touched_ = true;
    zoom_by(std::pow(1.0015, event->angleDelta().y()), event->position());
}

void PictureView::mousePressEvent(QMouseEvent* event) {
    last_ = event->position();
    if (event->button() != Qt::LeftButton) return;
    if (picking()) {
        if (before_.empty()) return;
        picked_.push_back(to_full(last_));
        if (static_cast<qsizetype>(picked_.size()) == pick_words_.size()) {
            pick_words_.clear();
            unsetCursor();
            emit picked(std::vector(picked_));
        }
        return update();
    }
    if (const int corner = corner_at(last_); corner >= 0) {
        corner_ = corner;
        drag_ = Drag::corner;
    } else if (on_split(last_)) {
        drag_ = Drag::split;
    } else {
        drag_ = Drag::pan;
        if (corners_ && definition_ && chart::is_convex(*corners_)) {
            const auto mm = chart::pixels_from_mm(*definition_, *corners_).inverse()(to_full(last_));
            for (const chart::Patch& p : definition_->patches)
                if (mm.x() >= p.x_mm && mm.y() >= p.y_mm && mm.x() <= p.x_mm + p.w_mm && mm.y() <= p.y_mm + p.h_mm) {
                    select_patch(QString::fromStdString(p.id));
                    emit patch_chosen(selected_);
                }
        }
    }
    update();
}

void PictureView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF p = event->position(), by = p - last_;
    pointer_ = p;
    if (tells_colours_) update();
    if (!before_.empty()) {
        const chart::Point at = to_full(p);
        emit pointed(QPointF(at.x() / before_.full_width, at.y() / before_.full_height));
    }
    switch (drag_) {
    case Drag::none:
        setCursor(picking()           ? Qt::CrossCursor
                  : corner_at(p) >= 0 ? Qt::SizeAllCursor
                  : on_split(p)       ? Qt::SplitHCursor
                                      : Qt::ArrowCursor);
        return;
    case Drag::pan:
        touched_ = true;
        origin_ += by;
        keep_inside();
        emit moved();
        break;
    case Drag::corner: {
        auto& c = (*corners_)[static_cast<std::size_t>(corner_)];
        c += chart::Point(by.x() / scale_, by.y() / scale_);
        break;
    }
    case Drag::split: split_ = std::clamp(p.x() / width(), 0.02, 0.98); break;
    }
    last_ = p;
    update();
}

void PictureView::mouseReleaseEvent(QMouseEvent*) {
    const Drag was = drag_;
    drag_ = Drag::none;
    update();
    if (was == Drag::corner) emit corners_moved(*corners_);
}

void PictureView::mouseDoubleClickEvent(QMouseEvent*) {
    touched_ = false;
    settle();
    emit moved();
}

void PictureView::keyPressEvent(QKeyEvent* event) {
    const double step = event->modifiers() & Qt::ShiftModifier ? coarse_step : fine_step;
    const auto move = [&](double x, double y) {
        if (corner_ >= 0 && corners_) {
            (*corners_)[static_cast<std::size_t>(corner_)] += step * chart::Point(x, y);
            emit corners_moved(*corners_);
        } else {
            touched_ = true;
            origin_ -= QPointF(x, y) * 40;
            keep_inside();
            emit this->moved();
        }
        update();
    };
    switch (event->key()) {
    case Qt::Key_Left: return move(-1, 0);
    case Qt::Key_Right: return move(1, 0);
    case Qt::Key_Up: return move(0, -1);
    case Qt::Key_Down: return move(0, 1);
    case Qt::Key_Plus:
    case Qt::Key_Equal: touched_ = true; return zoom_by(1.25, rect().center());
    case Qt::Key_Minus: touched_ = true; return zoom_by(0.8, rect().center());
    case Qt::Key_C:
        if (editable_ && corners_) corner_ = (corner_ + 1) % 4; // from corner to corner
        return update();
    case Qt::Key_Escape:
        if (picking()) {
            pick_words_.clear();
            unsetCursor();
            return update();
        }
        if (corner_ >= 0) {
            corner_ = -1;
            return update();
        }
        break;
    case Qt::Key_Space: return after_.empty() ? emit flipped() : flip();
    default: break;
    }
    QWidget::keyPressEvent(event);
}

} // namespace refero::app
