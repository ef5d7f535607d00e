#include "board_view.hpp"

#include <QAbstractTableModel>
#include <QHeaderView>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include "../theme.hpp"
#include "../widgets/link_glyph.hpp"

namespace refero::app {

namespace {

constexpr int least_width = 250, least_height = 130, most_height = 330, header_width = 150;

class BoardModel : public QAbstractTableModel {
public:
    BoardModel(Session& session, QObject* parent) : QAbstractTableModel(parent), session_(session) {}
    int rowCount(const QModelIndex& = {}) const override { return static_cast<int>(session_.job().cameras.size()); }
    int columnCount(const QModelIndex& = {}) const override { return static_cast<int>(session_.job().lights.size()); }
    int setup_at(const QModelIndex& i) const { return session_.job().setup_at(static_cast<std::size_t>(i.row()), static_cast<std::size_t>(i.column())); }
    QVariant data(const QModelIndex& i, int role) const override {
        const int setup = setup_at(i);
        if (role == Qt::UserRole) return setup;
        if (setup < 0) return role == Qt::ToolTipRole ? QVariant(QObject::tr("Not planned")) : QVariant();
        const SetupState& s = session_.at(setup);
        if (role == Qt::AccessibleTextRole || role == Qt::ToolTipRole) {
            QStringList words{session_.title_of(setup)};
            for (int k = 0; k < step_count; ++k) words << QString("%1: %2").arg(name_of(static_cast<Step>(k)), name_of(s.link(static_cast<Step>(k))));
            return words.join("\n");
        }
        return {};
    }
    QVariant headerData(int n, Qt::Orientation o, int role) const override {
        const auto k = static_cast<std::size_t>(n);
        const auto text = [](const std::string& s) { return QString::fromStdString(s); };
        if (role == Qt::TextAlignmentRole) return int(Qt::AlignLeft | Qt::AlignVCenter);
        if (role != Qt::DisplayRole) return {};
        if (o == Qt::Horizontal) {
            const job::Light& l = session_.job().lights[k];
            return text(l.name) + (l.place.empty() ? "" : "\n" + text(l.place));
        }
        const job::Camera& c = session_.job().cameras[k];
        return text(c.name) + (c.lens.empty() ? "" : "\n" + text(c.lens)) + (c.mode.empty() ? "" : "\n" + text(c.mode));
    }
    void reset() {
        beginResetModel();
        endResetModel();
    }
    void touch() {
        if (rowCount() && columnCount()) emit dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
    }

private:
    Session& session_;
};

// What a cell says in words: the first thing that keeps its chain from being whole.
QString verdict(const SetupState& s) {
    if (s.waiting || s.busy) return s.figure(Step::shot);
    const Step step = s.current();
    const LinkState state = s.link(step);
    if (state == LinkState::whole) return QObject::tr("Chain whole");
    const QString next = s.next(step);
    return !next.isEmpty() ? "\u2192 " + next : QObject::tr("%1 %2").arg(name_of(step), name_of(state));
}

class CellDelegate : public QStyledItemDelegate {
public:
    CellDelegate(Session& session, QObject* parent) : QStyledItemDelegate(parent), session_(session) {}
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const Theme& t = Theme::now();
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        const QRectF body = QRectF(option.rect).adjusted(5, 5, -5, -5);
        const int setup = index.data(Qt::UserRole).toInt();
        const bool chosen = option.state & QStyle::State_Selected;
        painter->setPen(QPen(chosen ? t.text : t.line, chosen ? 2.5 : 1, setup < 0 ? Qt::DashLine : Qt::SolidLine));
        painter->setBrush(setup < 0 ? Qt::NoBrush : QBrush(t.raised));
        painter->drawRoundedRect(body, 8, 8);
        if (setup < 0) {
            painter->setPen(t.dim);
            painter->drawText(body, Qt::AlignCenter, QObject::tr("not planned"));
            painter->restore();
            return;
        }
        const SetupState& s = session_.at(setup);
        QRectF inner = body.adjusted(14, 12, -14, -12);
        // The chain in small along the lower edge, each link named.
        const double name_height = QFontMetricsF(small_font()).height();
        const QRectF names(inner.left(), inner.bottom() - name_height, inner.width(), name_height);
        const QRectF chain(inner.left(), names.top() - 34, inner.width(), 30);
        draw_chain(*painter, chain, s, t.text);
        painter->setFont(small_font());
        painter->setPen(t.dim);
        const double step = inner.width() / step_count;
        for (int k = 0; k < step_count; ++k)
            painter->drawText(QRectF(names.left() + k * step - 4, names.top(), step + 8, names.height()), Qt::AlignCenter, step > 58 ? name_of(static_cast<Step>(k)) : name_of(static_cast<Step>(k)).left(1));
        inner.setBottom(chain.top() - 6);
        // The chart shot, uncropped.
        if (inner.height() > 44 && !s.small_picture.isNull()) {
            const double aspect = static_cast<double>(s.small_picture.width()) / s.small_picture.height();
            const double w = std::min(inner.width() * 0.58, inner.height() * aspect), h = w / aspect;
            const QRectF frame(inner.left(), inner.top(), w, h);
            painter->setRenderHint(QPainter::SmoothPixmapTransform);
            painter->drawImage(frame, s.small_picture);
            inner.setLeft(frame.right() + 14);
        }
        const QString figure = s.correction ? s.figure(Step::proof) : s.light ? QObject::tr("%1 K").arg(qRound(s.light->kelvin / 10) * 10) : QString();
        painter->setPen(t.text);
        double top = inner.top();
        if (!figure.isEmpty()) {
            painter->setFont(figure_font());
            const double h = QFontMetricsF(figure_font()).height();
            painter->drawText(QRectF(inner.left(), top - 3, inner.width(), h), Qt::AlignLeft | Qt::AlignVCenter, figure);
            top += h - 2;
        }
        painter->setFont(option.font);
        const QString about = s.correction ? QObject::tr("mean of patches left out\n%1").arg(s.figure(Step::correction)) : s.light ? QObject::tr("by the chart's greys") : QString();
        painter->setPen(t.dim);
        QRectF used;
        if (!about.isEmpty()) {
            painter->drawText(QRectF(inner.left(), top, inner.width(), 200), Qt::AlignLeft | Qt::TextWordWrap, about, &used);
            top = used.bottom() + 6;
        }
        QFont bold = option.font;
        bold.setWeight(QFont::DemiBold);
        painter->setFont(bold);
        painter->setPen(t.text);
        painter->drawText(QRectF(inner.left(), top, inner.width(), std::max(20.0, inner.bottom() - top)), Qt::AlignLeft | Qt::TextWordWrap, verdict(s));
        if (const auto frames = s.setup.frames.size()) {
            painter->setFont(small_font());
            painter->setPen(t.dim);
            painter->drawText(inner, Qt::AlignLeft | Qt::AlignBottom, frames == 1 ? QObject::tr("1 frame") : QObject::tr("%1 frames").arg(frames));
        }
        painter->restore();
    }

private:
    Session& session_;
};

} // namespace

BoardView::BoardView(Session& session, QWidget* parent) : QWidget(parent), session_(session), title_(new QLabel), summary_(new QLabel), table_(new QTableView) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 12, 14, 12);
    auto* head = new QHBoxLayout;
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    title_->setFont(title_font());
    summary_->setProperty("dim", true);
    words->addWidget(title_);
    words->addWidget(summary_);
    head->addLayout(words, 1);
    fit_all_ = new QPushButton(tr("Fit all that are read"));
    fit_all_->setProperty("primary", true);
    fit_all_->setObjectName("fitAllButton");
    fit_all_->setToolTip(tr("Fits and proves every setup that has a reading and no correction, or a stale one"));
    connect(fit_all_, &QPushButton::clicked, &session_, &Session::fit_all);
    head->addWidget(fit_all_);
    layout->addLayout(head);
    auto* model = new BoardModel(session, this);
    table_->setModel(model);
    table_->setItemDelegate(new CellDelegate(session, this));
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->verticalHeader()->setHighlightSections(false);
    table_->setCornerButtonEnabled(false);
    table_->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    table_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    table_->setFrameShape(QFrame::NoFrame);
    table_->horizontalHeader()->setFixedHeight(46);
    table_->verticalHeader()->setFixedWidth(header_width);
    table_->setAccessibleName(tr("Board: cameras down, lights across"));
    table_->setStyleSheet("QTableView { background: transparent; border: none; selection-background-color: transparent; } QTableView::item, QTableView::item:selected { background: transparent; } QTableCornerButton::section { background: transparent; } QTableView:focus { border: none; } QHeaderView, QHeaderView::section { background: transparent; border: none; }");
    layout->addWidget(table_, 1);
    auto* key = new QWidget;
    auto* row = new QHBoxLayout(key);
    row->setContentsMargins(header_width + 6, 0, 0, 0);
    row->setSpacing(6);
    for (const LinkState state : {LinkState::whole, LinkState::worn, LinkState::broken, LinkState::missing}) {
        auto* glyph = new QLabel;
        QPixmap pixmap(20, 26);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        draw_link(painter, QRectF(1, 1, 18, 24), state, Theme::now().text);
        painter.end();
        glyph->setPixmap(pixmap);
        row->addWidget(glyph);
        auto* label = new QLabel(name_of(state));
        label->setProperty("dim", true);
        row->addWidget(label);
        row->addSpacing(14);
    }
    row->addStretch();
    layout->addWidget(key);
    const auto open = [this](const QModelIndex& i) {
        if (const int setup = i.data(Qt::UserRole).toInt(); setup >= 0) emit setup_opened(setup);
    };
    connect(table_, &QTableView::activated, this, open);
    connect(&session, &Session::job_changed, this, [this, model] {
        model->reset();
        stretch();
        table_->setCurrentIndex(model->index(0, 0));
        tell();
    });
    connect(&session, &Session::setup_changed, this, [this, model] {
        model->touch();
        tell();
    });
}

void BoardView::refresh() {
    stretch();
    tell();
    table_->viewport()->update();
}

void BoardView::tell() {
    int whole = 0, ready = 0;
    for (int i = 0; i < session_.count(); ++i) {
        const SetupState& s = session_.at(i);
        whole += s.link(Step::handover) == LinkState::whole && s.link(Step::proof) == LinkState::whole;
        ready += s.balance && (!s.correction || s.correction_stale()) && !s.fitting;
    }
    title_->setText(QString::fromStdString(session_.job().title));
    summary_->setText(tr("%1 setups, %2 with a whole chain").arg(session_.count()).arg(whole) + (ready ? tr(", %1 ready to be fitted").arg(ready) : QString()));
    fit_all_->setEnabled(ready > 0);
}

void BoardView::stretch() {
    const int columns = std::max(1, table_->model()->columnCount()), rows = std::max(1, table_->model()->rowCount());
    const int width = std::max(least_width, (table_->width() - header_width - 4) / columns);
    const int height = std::clamp((table_->height() - 50) / rows, least_height, most_height);
    table_->horizontalHeader()->setDefaultSectionSize(width);
    table_->verticalHeader()->setDefaultSectionSize(height);
    for (int c = 0; c < columns; ++c) table_->setColumnWidth(c, width);
    for (int r = 0; r < rows; ++r) table_->setRowHeight(r, height);
}

void BoardView::resizeEvent(QResizeEvent*) {
    QMetaObject::invokeMethod(this, &BoardView::stretch, Qt::QueuedConnection);
}

} // namespace refero::app
