#include "scopes.hpp"

#include <QHBoxLayout>
#include <QPainter>
#include <QPainterPath>
#include <QSettings>
#include <QVBoxLayout>
#include <cmath>

#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr int margin_left = 34, margin_top = 18, margin_bottom = 6, gap = 14;

scope::Codes codes_of(const QImage& image) {
    return {image.width(),
            image.height(),
            {reinterpret_cast<const std::uint32_t*>(image.constBits()),
             static_cast<std::size_t>(image.width()) * static_cast<std::size_t>(image.height())}};
}

/// Counts as strength of the text's colour: single pixels stay visible beside crowds.
QImage image_of(const scope::Trace& t, const QColor& ink) {
    QImage image(t.width, t.height, QImage::Format_ARGB32);
    std::uint32_t most = 1;
    for (const std::uint32_t n : t.count) most = std::max(most, n);
    std::array<QRgb, 256> shade;
    for (int a = 0; a < 256; ++a) shade[static_cast<std::size_t>(a)] = qRgba(ink.red(), ink.green(), ink.blue(), a);
    const float k = 215 / std::log1p(static_cast<float>(most));
    // Most counts are small: their logarithms are looked up.
    std::array<QRgb, 1024> small;
    for (std::size_t n = 0; n < small.size(); ++n)
        small[n] = n ? shade[static_cast<std::size_t>(std::min(255.0f, 40 + k * std::log1p(static_cast<float>(n))))]
                     : shade[0];
    for (int y = 0; y < t.height; ++y) {
        auto* row = reinterpret_cast<QRgb*>(image.scanLine(y));
        for (int x = 0; x < t.width; ++x) {
            const std::uint32_t n = t.at(x, y);
            row[x] =
                n < small.size()
                    ? small[n]
                    : shade[static_cast<std::size_t>(std::min(255.0f, 40 + k * std::log1p(static_cast<float>(n))))];
        }
    }
    return image;
}

} // namespace

/// Paints what was measured of one or two pictures.
class ScopeCanvas : public QWidget {
public:
    struct Measured {
        QString title;
        std::vector<std::pair<QString, scope::Trace>> traces;
        std::optional<scope::Histogram> histogram;
    };

    ScopeCanvas() {
        setMinimumHeight(120);
        setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    }
    void set(std::vector<Measured> measured, Scopes::Kind kind) {
        measured_ = std::move(measured);
        kind_ = kind;
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        const Theme& t = Theme::now();
        p.fillRect(rect(), t.panel);
        p.setFont(small_font());
        if (measured_.empty()) {
            p.setPen(t.dim);
            p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, tr("There is no picture to measure yet."));
            return;
        }
        const int n = static_cast<int>(measured_.size()), w = (width() - (n - 1) * gap) / n;
        for (int i = 0; i < n; ++i) {
            const QRect area(i * (w + gap) + margin_left, margin_top, w - margin_left - 4,
                             height() - margin_top - margin_bottom);
            p.setPen(t.text);
            p.drawText(QRect(area.left(), 0, area.width(), margin_top), Qt::AlignLeft | Qt::AlignVCenter,
                       measured_[static_cast<std::size_t>(i)].title);
            if (kind_ == Scopes::Kind::histogram) histogram(p, area, *measured_[static_cast<std::size_t>(i)].histogram);
            else if (kind_ == Scopes::Kind::vectorscope_709 || kind_ == Scopes::Kind::vectorscope_601)
                vectorscope(p, area, measured_[static_cast<std::size_t>(i)].traces.front().second);
            else levels(p, area, measured_[static_cast<std::size_t>(i)].traces);
        }
    }

private:
    void percent_lines(QPainter& p, const QRect& area) const {
        const Theme& t = Theme::now();
        for (const int percent : {0, 25, 50, 75, 100}) {
            const int y = area.bottom() - area.height() * percent / 100;
            p.setPen(QPen(t.line, 1));
            p.drawLine(area.left(), y, area.right(), y);
            p.setPen(t.dim);
            p.drawText(QRect(area.left() - margin_left, y - 8, margin_left - 5, 16), Qt::AlignRight | Qt::AlignVCenter,
                       QString::number(percent));
        }
    }

    void levels(QPainter& p, const QRect& area, const std::vector<std::pair<QString, scope::Trace>>& traces) const {
        percent_lines(p, area);
        const int n = static_cast<int>(traces.size());
        for (int i = 0; i < n; ++i) {
            const QRect part(area.left() + area.width() * i / n, area.top(), area.width() / n - (n > 1 ? 4 : 0),
                             area.height());
            p.setRenderHint(QPainter::SmoothPixmapTransform);
            p.drawImage(part, image_of(traces[static_cast<std::size_t>(i)].second, Theme::now().text));
            p.setPen(Theme::now().dim);
            if (n > 1)
                p.drawText(QRect(part.left(), 0, part.width(), margin_top), Qt::AlignRight | Qt::AlignVCenter,
                           traces[static_cast<std::size_t>(i)].first);
        }
    }

    void histogram(QPainter& p, const QRect& area, const scope::Histogram& h) const {
        const Theme& t = Theme::now();
        std::uint32_t most = 1;
        for (const auto& signal : h)
            for (std::size_t v = 1; v < 255; ++v)
                most = std::max(most, signal[v]); // heaps at both ends would hide the rest
        p.setPen(QPen(t.line, 1));
        for (const int percent : {0, 25, 50, 75, 100})
            p.drawLine(area.left() + area.width() * percent / 100, area.top(),
                       area.left() + area.width() * percent / 100, area.bottom());
        p.setRenderHint(QPainter::Antialiasing);
        const auto path_of = [&](const std::array<std::uint32_t, 256>& signal) {
            QPainterPath path(QPointF(area.left(), area.bottom()));
            for (std::size_t v = 0; v < 256; ++v)
                path.lineTo(area.left() + area.width() * static_cast<double>(v) / 255,
                            area.bottom() -
                                area.height() * std::min(1.0, std::sqrt(static_cast<double>(signal[v]) / most)));
            path.lineTo(area.right(), area.bottom());
            return path;
        };
        QColor fill = t.dim;
        fill.setAlpha(90);
        p.fillPath(path_of(h[3]), fill);
        const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine};
        const QString names[] = {tr("R \u2014"), tr("G - -"), tr("B \u00b7\u00b7\u00b7"), tr("luma filled")};
        for (std::size_t c = 0; c < 3; ++c) {
            p.setPen(QPen(t.text, 1.3, styles[c]));
            p.drawPath(path_of(h[c]));
        }
        p.setPen(t.dim);
        p.drawText(QRect(area.left(), 0, area.width(), margin_top), Qt::AlignRight | Qt::AlignVCenter,
                   QStringList{names[0], names[1], names[2], names[3]}.join("   "));
    }

    void vectorscope(QPainter& p, const QRect& area, const scope::Trace& trace) const {
        const Theme& t = Theme::now();
        const auto standard = kind_ == Scopes::Kind::vectorscope_601 ? scope::Standard::bt601 : scope::Standard::bt709;
        const double side = std::min(area.width(), area.height());
        const QRectF square(area.center().x() - side / 2, area.center().y() - side / 2, side, side);
        const auto at = [&](const Eigen::Vector2d& cb_cr) {
            return QPointF(square.left() + (0.5 + cb_cr[0]) * side, square.top() + (0.5 - cb_cr[1]) * side);
        };
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(t.line, 1));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(square);
        p.drawLine(at({-0.5, 0}), at({0.5, 0}));
        p.drawLine(at({0, -0.5}), at({0, 0.5}));
        const double skin = scope::skin_line_deg * M_PI / 180;
        p.setPen(QPen(t.dim, 1, Qt::DashLine));
        p.drawLine(at({0, 0}), at({0.5 * std::cos(skin), 0.5 * std::sin(skin)}));
        p.setPen(t.dim);
        p.drawText(QRectF(at({0.5 * std::cos(skin), 0.5 * std::sin(skin)}) - QPointF(44, 12), QSizeF(44, 16)),
                   Qt::AlignRight, tr("skin"));
        p.drawImage(square, image_of(trace, t.text));
        for (const scope::Target& target : scope::targets(standard)) {
            const double box = std::max(9.0, side / 22);
            QRectF r(0, 0, box, box);
            r.moveCenter(at(target.cb_cr));
            p.setPen(QPen(t.text, 1.2));
            p.drawRect(r);
            p.drawText(r.adjusted(-24, -16, 24, -box + 1), Qt::AlignHCenter | Qt::AlignBottom,
                       QString::fromStdString(target.name));
        }
    }

    std::vector<Measured> measured_;
    Scopes::Kind kind_ = Scopes::Kind::waveform;
};

Scopes::Scopes(QWidget* parent)
    : QWidget(parent),
      kind_(new QComboBox),
      part_(new QComboBox),
      canvas_(new ScopeCanvas) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    row->addWidget(kind_);
    row->addWidget(part_);
    row->addStretch();
    column->addLayout(row);
    column->addWidget(canvas_, 1);
    kind_->setObjectName("scopeKind");
    kind_->setAccessibleName(tr("Scope"));
    kind_->addItem(tr("Histogram"));
    kind_->addItem(tr("Waveform, luma"));
    kind_->addItem(tr("Parade R G B"));
    kind_->addItem(tr("Vectorscope BT.709"));
    kind_->addItem(tr("Vectorscope BT.601"));
    kind_->setToolTip(tr("Measured on the sRGB code values of the picture. Boxes: colour bars of 75 %. Line: where "
                         "skin of every tone lies (common practice)"));
    kind_->setCurrentIndex(QSettings().value("scope", 1).toInt());
    part_->setObjectName("scopePart");
    part_->setAccessibleName(tr("Part of the picture"));
    part_->addItem(tr("Whole frame"));
    part_->addItem(tr("The chart"));
    part_->addItem(tr("A region \u2026"));
    connect(kind_, &QComboBox::activated, this, [this](int i) {
        QSettings().setValue("scope", i);
        measure();
    });
    connect(part_, &QComboBox::activated, this, [this](int i) {
        if (i == 2) emit region_wanted();
        measure();
    });
}

void Scopes::set(const QImage& before, const QImage& after, int full_width) {
    before_ = before;
    after_ = after;
    const QImage& any = before.isNull() ? after : before;
    scale_ = full_width > 0 ? static_cast<double>(any.width()) / full_width : 1;
    measure();
}

void Scopes::set_chart(const scope::Part& corners) { chart_ = corners; }

void Scopes::set_region(const scope::Part& region) {
    region_ = region;
    if (region) part_->setCurrentIndex(2);
    measure();
}

QRectF Scopes::take_region(const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    const QRectF r = QRectF(QPointF(a.x(), a.y()), QPointF(b.x(), b.y())).normalized();
    set_region(std::array<Eigen::Vector2d, 4>{
        Eigen::Vector2d(r.left(), r.top()), {r.right(), r.top()}, {r.right(), r.bottom()}, {r.left(), r.bottom()}});
    return r;
}

void Scopes::choose(Kind kind) {
    kind_->setCurrentIndex(static_cast<int>(kind));
    measure();
}

Scopes::Kind Scopes::kind() const { return static_cast<Kind>(kind_->currentIndex()); }

scope::Part Scopes::part() const {
    scope::Part p = part_->currentIndex() == 1 ? chart_ : part_->currentIndex() == 2 ? region_ : std::nullopt;
    if (p)
        for (auto& corner : *p) corner *= scale_;
    return p;
}

void Scopes::measure() {
    std::vector<ScopeCanvas::Measured> all;
    const auto standard = kind() == Kind::vectorscope_601 ? scope::Standard::bt601 : scope::Standard::bt709;
    for (const auto& [image, title] : {std::pair{before_, tr("Before")}, {after_, tr("After")}}) {
        if (image.isNull()) continue;
        const QImage rgb = image.format() == QImage::Format_RGB32 ? image : image.convertToFormat(QImage::Format_RGB32);
        const scope::Codes codes = codes_of(rgb);
        ScopeCanvas::Measured m{before_.isNull() || after_.isNull() ? QString() : title, {}, {}};
        switch (kind()) {
        case Kind::histogram: m.histogram = scope::histogram(codes, part(), standard); break;
        case Kind::waveform:
            m.traces.emplace_back(QString(), scope::waveform(codes, part(), scope::Signal::luma, standard));
            break;
        case Kind::parade:
            for (const auto& [name, signal] :
                 {std::pair{"R", scope::Signal::red}, {"G", scope::Signal::green}, {"B", scope::Signal::blue}})
                m.traces.emplace_back(name, scope::waveform(codes, part(), signal, standard, 128));
            break;
        default: m.traces.emplace_back(QString(), scope::vectorscope(codes, part(), standard));
        }
        all.push_back(std::move(m));
    }
    canvas_->set(std::move(all), kind());
}

} // namespace refero::app
