#include "light_row.hpp"

#include <QDrag>
#include <QDropEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QMimeData>
#include <QPointer>

#include "day_line.hpp"
#include "ui/theme.hpp"

namespace refero::app {

namespace {

constexpr const char* light_mime = "application/x-refero-light";
constexpr int chart_picture_height = 44;

Id id_in(const QMimeData* data, const char* mime) { return data->hasFormat(mime) ? data->data(mime).toLongLong() : 0; }

} // namespace

QString LightRow::facts_of(const operations::DayLight& l) {
    QStringList facts;
    if (l.kelvin > 0) facts << QObject::tr("%1 K").arg(qRound(l.kelvin / 50) * 50);
    const QString from = clock_of(l.from_s), to = clock_of(l.to_s);
    if (!from.isEmpty()) facts << (from == to ? from : QObject::tr("%1 to %2", "times of the day").arg(from, to));
    facts << (l.charts == 0   ? QObject::tr("no chart")
              : l.charts == 1 ? QObject::tr("1 chart")
                              : QObject::tr("%1 charts").arg(l.charts));
    facts << (l.frames == 1 ? QObject::tr("1 frame") : QObject::tr("%1 frames").arg(l.frames));
    return facts.join(", ");
}

LightRow::LightRow(Desk& desk, const operations::DayLight& light, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      light_(light.light),
      picture_(new QLabel),
      name_(new QLineEdit(qt(light.name))),
      more_(new QToolButton) {
    setAcceptDrops(true);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 2, 0, 2);
    row->setSpacing(10);
    picture_->setFixedSize(chart_picture_height * 3 / 2, chart_picture_height);
    picture_->setAlignment(Qt::AlignCenter);
    picture_->setCursor(Qt::OpenHandCursor);
    picture_->setToolTip(tr("Drag it onto another light that is the same one"));
    if (light.chart_frame)
        desk_.pictures.thumbnail(light.chart_frame, [label = QPointer<QLabel>(picture_)](const QImage& image) {
            if (!label) return;
            QPixmap small = QPixmap::fromImage(image.scaled(label->size() * 2, Qt::KeepAspectRatioByExpanding,
                                                            Qt::SmoothTransformation))
                                .copy(0, 0, label->width() * 2, label->height() * 2);
            small.setDevicePixelRatio(2);
            label->setPixmap(small);
        });
    name_->setObjectName(QString("lightName%1").arg(light.light));
    name_->setAccessibleName(tr("Name of the light"));
    name_->setMinimumWidth(150);
    name_->setMaximumWidth(240);
    auto* facts = new QLabel(facts_of(light));
    facts->setProperty("dim", true);
    more_->setText(QString::fromUtf8("\u22ef"));
    more_->setProperty("flat", true);
    more_->setPopupMode(QToolButton::InstantPopup);
    more_->setToolTip(tr("The same light as another, or more than one"));
    more_->setAccessibleName(tr("More about %1").arg(qt(light.name)));
    more_->setMenu(new QMenu(more_));
    connect(more_->menu(), &QMenu::aboutToShow, this, &LightRow::fill_menu);
    row->addWidget(picture_);
    row->addWidget(name_);
    row->addWidget(facts, 1);
    row->addWidget(more_);
}

void LightRow::fill_menu() {
    QMenu* menu = more_->menu();
    menu->clear();
    const operations::Day& day = desk_.arrivals.day();
    QMenu* same = menu->addMenu(tr("The same light as"));
    for (const operations::DayLight& other : day.lights)
        if (other.light != light_)
            same->addAction(qt(other.name), this, [this, into = other.light] { desk_.arrivals.merge(into, light_); });
    same->setEnabled(!same->isEmpty());
    QMenu* apart = menu->addMenu(tr("This chart was lit by a light of its own"));
    std::size_t charts = 0;
    for (const operations::DayRow& row : day.rows)
        for (const operations::DayChart& c : row.charts) {
            if (c.light != light_) continue;
            ++charts;
            apart->addAction(desk_.arrivals.title_of(c), this,
                             [this, shot = c.chart_shot] { desk_.arrivals.move({shot}, 0); });
        }
    apart->setEnabled(charts > 1);
}

void LightRow::dragEnterEvent(QDragEnterEvent* e) {
    const Id light = id_in(e->mimeData(), light_mime);
    if ((light && light != light_) || id_in(e->mimeData(), chart_shot_mime)) {
        e->acceptProposedAction();
        setBackgroundRole(QPalette::AlternateBase);
        setAutoFillBackground(true);
    }
}

void LightRow::dragLeaveEvent(QDragLeaveEvent*) { setAutoFillBackground(false); }

void LightRow::dropEvent(QDropEvent* e) {
    setAutoFillBackground(false);
    e->acceptProposedAction();
    const Id light = id_in(e->mimeData(), light_mime), shot = id_in(e->mimeData(), chart_shot_mime);
    // The row goes with what is done: after the drop has ended.
    QMetaObject::invokeMethod(
        &desk_.arrivals,
        [&arrivals = desk_.arrivals, into = light_, light, shot] {
            if (light) arrivals.merge(into, light);
            else if (shot) arrivals.move({shot}, into);
        },
        Qt::QueuedConnection);
}

void LightRow::mousePressEvent(QMouseEvent* e) { pressed_at_ = e->pos(); }

void LightRow::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton) || (e->pos() - pressed_at_).manhattanLength() < 8) return;
    auto* drag = new QDrag(this);
    auto* what = new QMimeData;
    what->setData(light_mime, QByteArray::number(static_cast<qlonglong>(light_)));
    drag->setMimeData(what);
    if (const QPixmap small = picture_->pixmap(Qt::ReturnByValue); !small.isNull()) drag->setPixmap(small);
    drag->exec(Qt::MoveAction);
}

NewLightRow::NewLightRow(Desk& desk, QWidget* parent)
    : QLabel(tr("Drop a chart here that was lit by a light of its own"), parent),
      desk_(desk) {
    setAcceptDrops(true);
    setProperty("dim", true);
    setMinimumHeight(34);
    setAlignment(Qt::AlignVCenter | Qt::AlignLeft);
}

void NewLightRow::dragEnterEvent(QDragEnterEvent* e) {
    if (id_in(e->mimeData(), chart_shot_mime)) e->acceptProposedAction();
}

void NewLightRow::dropEvent(QDropEvent* e) {
    e->acceptProposedAction();
    QMetaObject::invokeMethod(
        &desk_.arrivals,
        [&arrivals = desk_.arrivals, shot = id_in(e->mimeData(), chart_shot_mime)] { arrivals.move({shot}, 0); },
        Qt::QueuedConnection);
}

} // namespace refero::app
