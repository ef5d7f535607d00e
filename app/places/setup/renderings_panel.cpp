#include "renderings_panel.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QVBoxLayout>

#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

QString after_it(const fit::Correction& c) {
    QStringList parts;
    for (const std::string& part : {look::in_words(c.finish), look::in_words(c.look)})
        if (!part.empty()) parts << qt(part);
    return parts.isEmpty() ? QObject::tr("nothing") : parts.join("; ");
}

} // namespace

RenderingsPanel::RenderingsPanel(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      table_(plain_table({{tr("Name"), tr("Double-click a name to change it")},
                          {tr("For"), tr("What the fit cares for most")},
                          {tr("Held out"), tr("Mean CIEDE2000 on patches held out")},
                          {tr("State"), {}},
                          {tr("Files"), tr("Handed over and still current")},
                          {tr("After it"), tr("Finish and look")}},
                         tr("Renderings"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 0);
    auto* note =
        new FlowLabel(tr("One setup, several finished pictures of it: neutral for the catalogue, warmer for the "
                         "wall, with the client's look for the web. Each holds for itself and is handed over "
                         "under its name."));
    note->setProperty("dim", true);
    column->addWidget(note);
    table_->setObjectName("renderings");
    column->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    const auto add = [row](const QString& text, const char* name, const QString& tooltip) {
        auto* button = new QPushButton(text);
        button->setObjectName(name);
        button->setToolTip(tooltip);
        row->addWidget(button);
        return button;
    };
    keep_ = add(tr("Keep this one \u2026"), "keepRendering",
                tr("The correction in force with its finish and look, under a name; the setup can go on to another"));
    work_on_ = add(tr("Work on it"), "workOnRendering",
                   tr("The chosen rendering becomes the setup's own, with its weights, finish and look"));
    refit_ =
        add(tr("Fit anew"), "refitRenderings", tr("All renderings that no longer hold, from the reading in force"));
    row->addStretch();
    remove_ = add(tr("Remove"), "removeRendering", tr("Forgets the chosen rendering; files that were written stay"));
    column->addLayout(row);
    connect(keep_, &QPushButton::clicked, this, &RenderingsPanel::keep);
    connect(work_on_, &QPushButton::clicked, this,
            [this] { desk_.renderings.work_on(setup_, row_at(table_->currentRow())); });
    connect(refit_, &QPushButton::clicked, this, [this] { desk_.renderings.refit(setup_); });
    connect(remove_, &QPushButton::clicked, this, [this] { desk_.renderings.remove(row_at(table_->currentRow())); });
    connect(table_, &QTableWidget::cellDoubleClicked, this, &RenderingsPanel::rename);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int r) {
        if (filling_) return;
        show_buttons();
        emit chosen(row_at(r));
    });
}

Id RenderingsPanel::row_at(int row) const {
    const auto* item = table_->item(row, 0);
    return item ? item->data(Qt::UserRole).toLongLong() : 0;
}

void RenderingsPanel::keep() {
    bool sure = false;
    const QString name =
        QInputDialog::getText(this, tr("Keep a rendering"), tr("Name it after what it is for (web, print, client):"),
                              QLineEdit::Normal, {}, &sure);
    if (sure) desk_.renderings.keep(setup_, name);
}

void RenderingsPanel::rename(int row, int column) {
    const Id id = row_at(row);
    if (!id || column != 0) return;
    bool sure = false;
    const QString name = QInputDialog::getText(this, tr("Name of the rendering"), tr("Name:"), QLineEdit::Normal,
                                               table_->item(row, 0)->text(), &sure);
    if (sure) desk_.renderings.rename(id, name);
}

void RenderingsPanel::show_buttons() {
    const bool kept = row_at(table_->currentRow()) != 0;
    work_on_->setEnabled(kept);
    remove_->setEnabled(kept);
}

void RenderingsPanel::show_setup(Id setup) {
    const Id before = setup == setup_ ? row_at(table_->currentRow()) : 0;
    setup_ = setup;
    filling_ = true;
    const Chain& s = desk_.chains.at(setup);
    const std::vector<operations::KeptRendering> kept = desk_.renderings.kept(setup);
    const auto files_of = [&](Id row) {
        return std::count_if(s.handovers.begin(), s.handovers.end(),
                             [&](const shoot::HandoverRecord& h) { return h.correction == row; });
    };
    table_->setRowCount(0);
    bool any_stale = false;
    const auto add = [&](Id row, const QString& name, const fit::Correction* c, const QString& stale, Id handed) {
        const int r = table_->rowCount();
        table_->insertRow(r);
        const QString texts[] = {name,
                                 c ? qt(fit::name_of(c->intent)) : QString(),
                                 c && !s.balance_only() ? QString::number(c->cross_validated.mean, 'f', 2) : QString(),
                                 stale.isEmpty() ? tr("holds") : tr("stale: %1").arg(stale),
                                 QString::number(files_of(handed)),
                                 c ? after_it(*c) : QString()};
        for (int k = 0; k < 6; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setToolTip(texts[k]);
            if (k == 2 || k == 4) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            if (k == 0) item->setData(Qt::UserRole, qlonglong(row));
            table_->setItem(r, k, item);
        }
        if (row == before) table_->setCurrentCell(r, 0);
    };
    if (s.correction)
        add(0, tr("the setup's own"), s.correction.get(), s.correction_stale() ? qt(s.stale.front().why) : QString(),
            s.correction_id);
    for (const operations::KeptRendering& r : kept) {
        any_stale |= !r.stale.empty();
        add(r.row, qt(r.name), r.correction.get(), qt(r.stale), r.row);
    }
    for (int k = 0; k < 5; ++k) table_->resizeColumnToContents(k);
    keep_->setEnabled(s.correction && !s.correction_stale());
    refit_->setVisible(any_stale);
    filling_ = false;
    show_buttons();
}

} // namespace refero::app
