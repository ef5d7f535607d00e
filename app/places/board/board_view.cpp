#include "board_view.hpp"

#include <QDateTime>
#include <QFileDialog>
#include <QHeaderView>
#include <QMenu>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include "operations/capture/planning.hpp"
#include "places/setup/page.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/link_glyph.hpp"

namespace refero::app {

namespace {

// A cell is roomy where it can be, compact where there are many.
constexpr int roomy_width = 230, roomy_height = 128, compact_width = 128, compact_height = 68, most_height = 330,
              header_width = 150;

class CellDelegate : public QStyledItemDelegate {
public:
    CellDelegate(Desk& desk, QObject* parent) : QStyledItemDelegate(parent), desk_(desk) {}

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const Theme& t = Theme::now();
        const Id setup = index.data(BoardModel::setup_role).toLongLong();
        const bool chosen = option.state & QStyle::State_Selected;
        const bool compact = option.rect.width() < roomy_width - 20 || option.rect.height() < roomy_height - 12;
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        painter->setClipRect(option.rect);
        if (!index.data(BoardModel::matches_role).toBool()) painter->setOpacity(0.25);
        const QRectF body =
            QRectF(option.rect).adjusted(compact ? 3 : 5, compact ? 3 : 5, compact ? -3 : -5, compact ? -3 : -5);
        const bool hollow = !setup || desk_.chains.at(setup).state == shoot::State::to_shoot;
        painter->setPen(QPen(chosen ? t.text : t.line, chosen ? 2.5 : 1, setup ? Qt::SolidLine : Qt::DashLine));
        painter->setBrush(hollow ? Qt::NoBrush : QBrush(t.raised));
        painter->drawRoundedRect(body, 8, 8);
        if (!setup) {
            painter->setPen(t.dim);
            painter->setFont(compact ? small_font() : option.font);
            painter->drawText(body, Qt::AlignCenter, QObject::tr("not planned"));
        } else if (compact) {
            paint_compact(*painter, body.adjusted(9, 6, -8, -6), desk_.chains.at(setup), option);
        } else {
            paint_roomy(*painter, body.adjusted(13, 10, -13, -9), desk_.chains.at(setup), option);
        }
        painter->restore();
    }

private:
    QString deciding_figure(const Chain& s) const {
        if (s.proved && !s.balance_only()) return figure_of(s, Step::proof, desk_.tasks);
        return s.light ? QObject::tr("%1 K").arg(qRound(s.light->kelvin / 10) * 10) : QString();
    }
    static QFont bold(const QStyleOptionViewItem& option) {
        QFont f = option.font;
        f.setWeight(QFont::DemiBold);
        return f;
    }

    /// Ordinary frames of all stretches of a setup.
    std::size_t frames_of(Id setup) const {
        std::size_t n = 0;
        for (const Chain& c : desk_.chains.stretches(setup)) n += c.frames.size();
        return n;
    }

    /// As many whole lines as there is room for.
    static void draw_lines(QPainter& p, const QRectF& box, const QString& words, Qt::AlignmentFlag vertical) {
        const QFontMetricsF metrics(p.font());
        const int lines = std::max(1, static_cast<int>((box.height() + 2) / metrics.lineSpacing()));
        const bool fits = metrics.boundingRect(QRectF(0, 0, box.width(), 1000), Qt::TextWordWrap, words).height() <=
                          lines * metrics.lineSpacing() + 1;
        p.drawText(box, Qt::AlignLeft | vertical | Qt::TextWordWrap,
                   fits ? words
                        : metrics.elidedText(words, Qt::ElideRight, box.width() * (lines == 1 ? 1 : lines * 0.86)));
    }

    // State and figure, verdict, chain.
    void paint_compact(QPainter& p, QRectF inner, const Chain& s, const QStyleOptionViewItem& option) const {
        const Theme& t = Theme::now();
        draw_state(p, QRectF(inner.left() - 2, inner.top(), 14, 20), s.state, t.text);
        p.setFont(bold(option));
        p.setPen(t.text);
        const QFontMetricsF metrics(p.font());
        const QRectF line(inner.left() + 17, inner.top(), inner.width() - 17, 20);
        p.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, words_for(s.state));
        p.setFont(small_font());
        const QString figure = deciding_figure(s);
        if (metrics.horizontalAdvance(words_for(s.state)) + QFontMetricsF(small_font()).horizontalAdvance(figure) + 10 <
            line.width())
            p.drawText(line, Qt::AlignRight | Qt::AlignVCenter, figure);
        draw_chains(p, QRectF(inner.left() - 4, inner.bottom() - 19, inner.width() * 0.9, 19),
                    desk_.chains.stretches(s.id), t.text);
        const QRectF words(inner.left(), inner.top() + 20, inner.width(), inner.height() - 41);
        if (words.height() > 12) {
            p.setPen(t.dim);
            draw_lines(p, words, verdict(s, desk_.tasks), Qt::AlignVCenter);
        }
    }

    void paint_roomy(QPainter& p, QRectF inner, const Chain& s, const QStyleOptionViewItem& option) const {
        const Theme& t = Theme::now();
        // The chain in small along the lower edge, each link named.
        const auto steps = s.steps();
        const double step = inner.width() / static_cast<double>(steps.size());
        const QFontMetricsF name_metrics(small_font());
        // Names where all have room, else the shapes alone: names and figures come on hover.
        const bool named = std::all_of(steps.begin(), steps.end(), [&](Step link) {
            return name_metrics.horizontalAdvance(name_of(link)) < step + 2;
        });
        const double name_height = named ? name_metrics.height() : 0;
        const QRectF names(inner.left(), inner.bottom() - name_height, inner.width(), name_height);
        const QRectF chain(inner.left(), names.top() - 30, inner.width(), 28);
        if (s.stretches.size() > 1 && named) { // instead of the links' names: the times of the stretches
            p.setFont(small_font());
            p.setPen(t.dim);
            const std::size_t drawn = std::min<std::size_t>(3, s.stretches.size());
            for (std::size_t k = 0; k < drawn; ++k)
                p.drawText(QRectF(names.left() + static_cast<double>(k) * names.width() / static_cast<double>(drawn),
                                  names.top(), names.width() / static_cast<double>(drawn), names.height()),
                           Qt::AlignLeft | Qt::AlignVCenter, "  " + qt(s.stretches[k].id));
        }
        draw_chains(p, chain, desk_.chains.stretches(s.id), t.text);
        p.setFont(small_font());
        p.setPen(t.dim);
        for (std::size_t k = 0; k < steps.size() && named && s.stretches.size() < 2; ++k)
            p.drawText(QRectF(names.left() + static_cast<double>(k) * step - 4, names.top(), step + 8, names.height()),
                       Qt::AlignCenter, name_of(steps[k]));
        inner.setBottom(chain.top() - 4);
        // State in a line of its own.
        draw_state(p, QRectF(inner.left() - 2, inner.top(), 16, 24), s.state, t.text);
        p.setFont(bold(option));
        p.setPen(t.text);
        const QRectF head(inner.left() + 20, inner.top(), inner.width() - 20, 24);
        p.drawText(head, Qt::AlignLeft | Qt::AlignVCenter,
                   words_for(s.state) + (s.balance_only() ? QObject::tr(", balance only") : QString()));
        if (const QString figure = deciding_figure(s); !figure.isEmpty()) {
            p.setFont(title_font());
            p.drawText(head, Qt::AlignRight | Qt::AlignVCenter, figure);
        }
        inner.setTop(head.bottom() + 4);
        // The chart shot, uncropped.
        const QImage small = desk_.pictures.small(s.id);
        if (inner.height() > 40 && !small.isNull()) {
            const double aspect = static_cast<double>(small.width()) / small.height();
            const double w = std::min(inner.width() * 0.5, inner.height() * aspect), h = w / aspect;
            const QRectF frame(inner.left(), inner.top(), w, h);
            p.setRenderHint(QPainter::SmoothPixmapTransform);
            p.drawImage(frame, small);
            inner.setLeft(frame.right() + 12);
        }
        const double small_line = QFontMetricsF(small_font()).lineSpacing();
        if (const std::size_t frames = frames_of(s.id); frames && inner.height() > 2 * small_line + 14) {
            p.setFont(small_font());
            p.setPen(t.dim);
            p.drawText(inner, Qt::AlignLeft | Qt::AlignBottom,
                       frames == 1 ? QObject::tr("1 frame") : QObject::tr("%1 frames").arg(frames));
            inner.setBottom(inner.bottom() - small_line);
        }
        p.setFont(option.font);
        p.setPen(t.text);
        draw_lines(p, inner, verdict(s, desk_.tasks), Qt::AlignTop);
    }

    Desk& desk_;
};

} // namespace

BoardView::BoardView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      model_(new BoardModel(desk, this)),
      title_(new QLabel),
      summary_(new QLabel),
      empty_(new QLabel),
      filter_(new QLineEdit),
      table_(new QTableView) {
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
    filter_->setPlaceholderText(tr("Filter: camera, light, state"));
    filter_->setToolTip(
        tr("Shows only rows and lights in which a setup holds all these words, such as \"stills stale\" (Ctrl+F)"));
    filter_->setClearButtonEnabled(true);
    filter_->setFixedWidth(230);
    filter_->setObjectName("boardFilter");
    head->addWidget(filter_);
    fit_all_ = new QPushButton(tr("Fit all that are read"));
    fit_all_->setProperty("primary", true);
    fit_all_->setObjectName("fitAllButton");
    fit_all_->setToolTip(tr("Fits every setup that has a reading and no correction, or one that a new fit would mend, "
                            "and checks its accuracy"));
    connect(fit_all_, &QPushButton::clicked, &desk_.setups, &Setups::fit_all);
    hand_over_ = new QPushButton(tr("Hand over \u2026"));
    hand_over_->setObjectName("handOverButton");
    hand_over_->setToolTip(tr("All corrections to where their pictures are worked on (E)"));
    connect(hand_over_, &QPushButton::clicked, this, &BoardView::handover_wanted);
    head->addWidget(hand_over_);
    head->addWidget(fit_all_);
    layout->addLayout(head);
    set_up_table();
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setProperty("dim", true);
    empty_->setText(tr("No setups yet.\nLay the shoot out in Plan (key 2), or drop a frame that shows a chart."));
    layout->addWidget(empty_, 1);
    layout->addWidget(table_, 1);
    layout->addWidget(make_key());
    connect(table_, &QTableView::activated, this, [this](const QModelIndex& i) {
        if (const Id setup = model_->setup_at(i)) emit setup_opened(setup);
        else plan_cell(i.row(), i.column());
    });
    connect(table_, &QWidget::customContextMenuRequested, this, &BoardView::menu_at);
    filter_->setAccessibleName(tr("Filter of the board"));
    connect(filter_, &QLineEdit::textChanged, this, &BoardView::apply_filter);
    connect(filter_, &QLineEdit::returnPressed, table_, qOverload<>(&QWidget::setFocus));
    connect(model_, &BoardModel::files_dropped, this, &BoardView::dropped);
    connect(model_, &BoardModel::correction_dropped, this, &BoardView::lent);
    connect(&desk.chains, &Chains::structure_changed, this, [this] {
        const QModelIndex before = table_->currentIndex();
        const int r = before.row(), c = before.column();
        model_->rebuild();
        stretch();
        apply_filter();
        table_->setCurrentIndex(model_->index(std::clamp(r, 0, std::max(0, model_->rowCount() - 1)),
                                              std::clamp(c, 0, std::max(0, model_->columnCount() - 1))));
        tell();
    });
    connect(&desk.chains, &Chains::setup_changed, this, [this](Id setup) {
        model_->touch(setup);
        tell();
    });
}

void BoardView::set_up_table() {
    table_->setModel(model_);
    table_->setItemDelegate(new CellDelegate(desk_, this));
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
    table_->verticalHeader()->setMinimumSectionSize(40);
    table_->setDragEnabled(true);
    table_->setAcceptDrops(true);
    table_->setDragDropMode(QAbstractItemView::DragDrop);
    table_->setDropIndicatorShown(true);
    table_->setContextMenuPolicy(Qt::CustomContextMenu);
    table_->setAccessibleName(tr("Board: cameras down, lights across"));
    table_->setStyleSheet("QTableView { background: transparent; border: none; selection-background-color: "
                          "transparent; } QTableView::item, QTableView::item:selected { background: transparent; } "
                          "QTableCornerButton::section { background: transparent; } QTableView:focus { border: none; } "
                          "QHeaderView, QHeaderView::section { background: transparent; border: none; }");
}

QWidget* BoardView::make_key() {
    auto* key = new QWidget;
    auto* row = new QHBoxLayout(key);
    row->setContentsMargins(header_width + 6, 0, 0, 0);
    row->setSpacing(5);
    for (const shoot::State state :
         {shoot::State::to_shoot, shoot::State::refused, shoot::State::shot, shoot::State::read,
          shoot::State::corrected, shoot::State::proved, shoot::State::handed_over, shoot::State::stale}) {
        row->addWidget(new StateGlyph(state));
        auto* label = new QLabel(words_for(state));
        label->setProperty("dim", true);
        row->addWidget(label);
        row->addSpacing(10);
    }
    row->addStretch();
    return key;
}

Id BoardView::chosen() const { return model_->setup_at(table_->currentIndex()); }

void BoardView::refresh() {
    stretch();
    tell();
    table_->viewport()->update();
    for (QWidget* w : findChildren<StateGlyph*>()) w->update();
}

void BoardView::apply_filter() {
    model_->set_filter(filter_->text());
    for (int r = 0; r < model_->rowCount(); ++r) {
        bool any = false;
        for (int c = 0; c < model_->columnCount(); ++c) any = any || model_->matches(r, c);
        table_->setRowHidden(r, !any);
    }
    for (int c = 0; c < model_->columnCount(); ++c) {
        bool any = false;
        for (int r = 0; r < model_->rowCount(); ++r) any = any || model_->matches(r, c);
        table_->setColumnHidden(c, !any);
    }
    stretch();
}

void BoardView::tell() {
    int whole = 0, ready = 0, refused = 0, stale = 0, open = 0;
    for (const Id id : desk_.chains.ids()) {
        const Chain& s = desk_.chains.at(id);
        whole += s.whole();
        ready += s.wants_fit();
        refused += s.state == shoot::State::refused;
        stale += s.state == shoot::State::stale;
        open += s.state == shoot::State::to_shoot;
    }
    title_->setText(QString::fromStdString(desk_.job.shoot().brief().title));
    QStringList parts{desk_.chains.count() == 1 ? tr("1 setup") : tr("%1 setups").arg(desk_.chains.count())};
    if (open) parts << tr("%1 to shoot").arg(open);
    if (refused) parts << tr("%1 to shoot again").arg(refused);
    if (stale) parts << tr("%1 stale").arg(stale);
    parts << tr("%1 with a whole chain").arg(whole);
    if (ready) parts << tr("%1 ready to be fitted").arg(ready);
    summary_->setText(parts.join(", "));
    fit_all_->setEnabled(ready > 0);
    const std::vector<Id> ids = desk_.chains.ids();
    hand_over_->setEnabled(
        std::any_of(ids.begin(), ids.end(), [&](Id id) { return desk_.chains.at(id).correction != nullptr; }));
    empty_->setVisible(desk_.chains.count() == 0);
    table_->setVisible(desk_.chains.count() != 0);
}

void BoardView::stretch() {
    int columns = 0, rows = 0;
    for (int c = 0; c < model_->columnCount(); ++c) columns += !table_->isColumnHidden(c);
    for (int r = 0; r < model_->rowCount(); ++r) rows += !table_->isRowHidden(r);
    columns = std::max(1, columns);
    rows = std::max(1, rows);
    const int each_width = (table_->width() - header_width - 4) / columns, each_height = (table_->height() - 50) / rows;
    // Compact as soon as the roomy cells do not fit.
    const int width = each_width >= roomy_width ? each_width : std::max(compact_width, each_width);
    const int height =
        width < roomy_width
            ? std::clamp(each_height, compact_height, roomy_height - 14)
            : std::clamp(each_height, each_height < roomy_height ? std::max(compact_height, each_height) : roomy_height,
                         most_height);
    for (int c = 0; c < model_->columnCount(); ++c) table_->setColumnWidth(c, width);
    for (int r = 0; r < model_->rowCount(); ++r) table_->setRowHeight(r, height);
}

void BoardView::resizeEvent(QResizeEvent*) {
    QMetaObject::invokeMethod(this, &BoardView::stretch, Qt::QueuedConnection);
}

Id BoardView::plan_cell(int row, int column) {
    const shoot::Rig rig = model_->rig(row);
    const Id light = model_->light(column);
    if (const shoot::SetupRecord* there = shoot::setup_at(desk_.job.shoot(), rig, light)) return there->id;
    const auto ids = desk_.job.change(operations::plan_setup(desk_.job.shoot(), rig, light));
    return ids ? ids->begin()->second : 0;
}

void BoardView::dropped(const std::vector<fs::path>& files, int row, int column) {
    desk_.frames.take_in(files, plan_cell(row, column));
}

void BoardView::lent(Id from, Id to) {
    const shoot::SetupRecord &a = desk_.chains.at(from).row, &b = desk_.chains.at(to).row;
    QStringList other;
    if (a.camera != b.camera) other << tr("camera");
    if (a.light != b.light) other << tr("light");
    if (a.mode != b.mode) other << tr("recording mode");
    if (a.lens != b.lens) other << tr("lens");
    desk_.setups.lend(from, to);
    desk_.notices.tell(
        other.isEmpty()
            ? tr("%1 has a copy of the correction of %2.").arg(desk_.chains.title_of(to), desk_.chains.title_of(from))
            : tr("Careful: this correction was made for another %1 (%2). A correction holds for one setup: check it on "
                 "the chart shot of %3 before it is used. Ctrl+Z takes it back.")
                  .arg(other.join(tr(" and ")), desk_.chains.title_of(from), desk_.chains.title_of(to)));
}

void BoardView::menu_at(const QPoint& at) {
    const QModelIndex i = table_->indexAt(at);
    if (!i.isValid()) return;
    table_->setCurrentIndex(i);
    QMenu menu(this);
    const Id setup = model_->setup_at(i);
    if (!setup) {
        menu.addAction(tr("Plan this setup"), this, [this, i] { plan_cell(i.row(), i.column()); });
        menu.exec(table_->viewport()->mapToGlobal(at));
        return;
    }
    const Chain& s = desk_.chains.at(setup);
    menu.addAction(tr("Open"), this, [this, setup] { emit setup_opened(setup); });
    menu.addAction(tr("Add frames \u2026"), this, [this, setup] {
        std::vector<fs::path> files;
        for (const QString& f :
             QFileDialog::getOpenFileNames(this, tr("Frames for %1").arg(desk_.chains.title_of(setup)), last_folder()))
            files.emplace_back(f.toStdString());
        if (!files.empty()) desk_.frames.take_in(files, setup);
    });
    menu.addSeparator();
    menu.addAction(s.correction && !s.balance_only() ? tr("Fit again") : tr("Fit"), this,
                   [this, setup] { desk_.setups.fit(setup); })
        ->setEnabled(s.balance && s.refused.empty() && !s.balance_only());
    if (desk_.setups.fallback_for(setup))
        menu.addAction(tr("Take the kit's fallback"), this, [this, setup] { desk_.setups.take_fallback(setup); });
    menu.addAction(tr("Check accuracy on its chart shot"), this, [this, setup] { desk_.setups.prove(setup); })
        ->setEnabled(s.correction_id && s.shot);
    if (s.refused.empty())
        menu.addAction(tr("Refuse the chart shot"), this, [this, setup] { desk_.setups.refuse(setup, {}); })
            ->setEnabled(s.chart_shot);
    else menu.addAction(tr("Accept the chart shot"), this, [this, setup] { desk_.setups.accept(setup); });
    menu.addSeparator();
    auto* only = menu.addAction(tr("Balance only"));
    only->setCheckable(true);
    only->setChecked(s.balance_only());
    connect(only, &QAction::triggered, this,
            [this, setup](bool on) { desk_.job.change(operations::set_balance_only(desk_.job.shoot(), setup, on)); });
    const shoot::LightRecord* light = shoot::record(desk_.job.shoot().lights, s.row.light);
    menu.addAction(tr("%1 was changed or re-lit just now").arg(QString::fromStdString(light->name)), this,
                   [this, row = *light] {
                       const QString now = QDateTime::currentDateTime().toString(Qt::ISODate);
                       desk_.job.change(operations::relit(row, now.toStdString()));
                   });
    menu.addSeparator();
    menu.addAction(tr("Take out of the plan"), this,
                   [this, setup] { desk_.job.change(operations::take_out(desk_.job.shoot(), setup)); });
    menu.exec(table_->viewport()->mapToGlobal(at));
}

} // namespace refero::app
