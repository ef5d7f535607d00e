// A picture with zoom and pan, what a step is about drawn on it, corners that can be dragged, and a split between
// before and after.
#pragma once

#include <QWidget>
#include <optional>

#include "model/pictures/rendition.hpp"
#include "read/read.hpp"

namespace refero::app {

class PictureView : public QWidget {
    Q_OBJECT

public:
    explicit PictureView(QWidget* parent = nullptr);

    void set_picture(const Rendition& picture, const QString& empty_text = {});
    /// A second picture, shown right of the split. Empty: no split.
    void set_after(const Rendition& after);
    /// What the two pictures are called.
    void set_names(const QString& before, const QString& after);
    /// A part to mark, in full-size pixels.
    void set_region(const std::optional<QRectF>& region);
    /// Draws the chart's sampled squares and, where `editable`, its corners as handles.
    void set_chart(const chart::Definition* definition, const std::optional<chart::Corners>& corners, bool editable);
    void select_patch(const QString& id);
    /// The next clicks name a place each; `words` tell what to click. Escape ends it.
    void pick(const QStringList& words);
    /// The same for two opposite corners of a region.
    void pick_region() { pick({tr("Click one corner of the region"), tr("Now the opposite corner")}); }
    bool picking() const { return !pick_words_.isEmpty(); }
    /// Where the view settles when a new picture comes: the whole picture, or the chart.
    void keep_chart_in_view(bool on) { chart_in_view_ = on; }

    /// What is seen of a picture: its place in the middle, in shares of width and height, and how many widths of the
    /// view the whole would take.
    struct Place {
        QPointF centre;
        double zoom = 1;
    };
    Place place() const;
    void go_to(const Place& place);

    void show_whole();
    void show_chart();
    void show_pixels(); ///< one picture pixel a screen pixel
    void flip();        ///< before, after, split again
    /// Where the input saturates (lines) and where the output leaves its range (dots), by channel: red rising, green
    /// level, blue falling; with the shares of the frame.
    void mark_clipping(bool on);
    bool marks_clipping() const { return marks_clipping_; }
    /// Tells what lies under the pointer, or in the middle of the view where it is elsewhere.
    void tell_colours(bool on);
    bool tells_colours() const { return tells_colours_; }
    QPointF to_widget(const chart::Point& full) const;
    double split() const { return split_; }
    bool shows_after_only() const { return flipped_ == Flip::after; }

signals:
    void corners_moved(const chart::Corners& corners); ///< once a drag or a key press is done
    void patch_chosen(const QString& id);
    void moved();                                         ///< by the user: another place is seen
    void flipped();                                       ///< wished for where there is one picture
    void pointed(const std::optional<QPointF>& share);    ///< the pointer, in shares of the picture; none: elsewhere
    void picked(const std::vector<chart::Point>& places); ///< full-size pixels, one for each word

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void leaveEvent(QEvent*) override;
    QSize sizeHint() const override { return {640, 400}; }

private:
    enum class Flip { split, before, after };
    enum class Drag { none, pan, corner, split };

    chart::Point to_full(const QPointF& widget) const;
    void zoom_by(double factor, const QPointF& about);
    void fit_rect(const QRectF& full);
    void settle();
    void draw(QPainter& painter, const Rendition& picture, const QRectF& clip) const;
    void draw_clipping(QPainter& painter, const Rendition& picture, const QRectF& clip) const;
    void draw_chart(QPainter& painter) const;
    void draw_loupe(QPainter& painter) const;
    void draw_magnified(QPainter& painter, const QRectF& box, const chart::Point& about, double zoom) const;
    void draw_colours(QPainter& painter) const;
    void draw_tag(QPainter& painter, const QString& text, Qt::Alignment side) const;
    int corner_at(const QPointF& p) const;
    bool on_split(const QPointF& p) const;
    void keep_inside();

    Rendition before_, after_;
    QString empty_text_;
    std::optional<chart::Definition> definition_;
    std::optional<chart::Corners> corners_;
    bool marks_clipping_ = false, tells_colours_ = false;
    std::optional<QPointF> pointer_;
    bool editable_ = false, chart_in_view_ = false, touched_ = false;
    QString selected_;
    int corner_ = -1;
    double scale_ = 1;   // widget pixels per full-size pixel
    QPointF origin_;     // of the picture in the widget
    double split_ = 0.5; // share of the widget's width
    Flip flipped_ = Flip::split;
    Drag drag_ = Drag::none;
    QStringList pick_words_;
    QString name_before_, name_after_;
    std::optional<QRectF> region_;
    std::vector<chart::Point> picked_;
    QPointF last_;
};

} // namespace refero::app
