#include "page.hpp"

#include <QSignalBlocker>

#include <QFrame>
#include <QSettings>
#include <QStandardPaths>

#include "model/pictures/screen_colour.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

bool Page::shows_another(Id setup) {
    const Id stretch = desk_.chains.at(setup).stretch;
    const bool other = setup != setup_ || stretch != stretch_;
    stretch_ = stretch;
    return other;
}

Page::Page(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      side_panel_(new QFrame),
      side_(new QVBoxLayout) {
    side_panel_->setProperty("panel", true);
    side_->setSpacing(6);
    side_panel_->setMinimumWidth(420); // whatever its tables would like
}

void Page::arrange(const QString& name, QWidget* evidence, QWidget* proof) {
    auto* finding = new QVBoxLayout(side_panel_);
    finding->setContentsMargins(14, 10, 14, 12);
    finding->setSpacing(8);
    finding->addLayout(side_);
    finding->addWidget(proof, 1);
    auto* splitter = new QSplitter(Qt::Horizontal);
    splitter->setHandleWidth(8);
    splitter->setChildrenCollapsible(false);
    splitter->addWidget(evidence);
    splitter->addWidget(side_panel_);
    splitter->setSizes({660, 600});
    splitter->setStretchFactor(0, 1);
    splitter->setStretchFactor(1, 1);
    const QString key = "widths/" + name;
    splitter->restoreState(QSettings().value(key).toByteArray());
    connect(splitter, &QSplitter::splitterMoved, this,
            [splitter, key] { QSettings().setValue(key, splitter->saveState()); });
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(8, 0, 8, 8);
    outer->addWidget(splitter);
}

void Page::add_due() {
    due_ = new FlowLabel;
    due_->setObjectName("dueLine");
    due_->setProperty("dim", true);
    due_->hide();
    side_->addWidget(due_);
}

void Page::refresh_due() {
    const QString due = due_of(screen(), desk_.kit.kit());
    due_->setText(tr("This screen: %1. Trust the figures, or check it first (5).").arg(due));
    due_->setVisible(!due.isEmpty());
}

QHBoxLayout* Page::side_row() {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    side_->addLayout(row);
    return row;
}

QPushButton* Page::side_button(const QString& text, const QString& icon_name, const QString& tooltip, bool primary,
                               QBoxLayout* row) {
    auto* button = new QPushButton(text);
    if (!icon_name.isEmpty() && !primary) button->setIcon(icon(icon_name));
    button->setProperty("primary", primary);
    button->setToolTip(tooltip);
    button->setCursor(Qt::PointingHandCursor);
    (row ? row : side_)->addWidget(button);
    return button;
}

void offer_other_lights(QComboBox* list, const Chains& chains, Id setup) {
    const QSignalBlocker quiet(list);
    const QVariant kept = list->currentData();
    list->clear();
    list->addItem(QObject::tr("none: one light"), qlonglong(0));
    const Chain& s = chains.at(setup);
    for (const Id id : chains.ids())
        if (const Chain& t = chains.at(id);
            id != setup && t.row.camera == s.row.camera && t.correction && t.correction->light && !t.balance_only())
            list->addItem(QObject::tr("%1 (%2 K)").arg(qt(t.title)).arg(qRound(t.correction->light->kelvin / 50) * 50),
                          qlonglong(id));
    list->setCurrentIndex(std::max(0, list->findData(kept)));
}

void offer_renderings(QComboBox* list, const std::vector<operations::InForce>& all) {
    const QSignalBlocker quiet(list);
    const QVariant kept = list->currentData();
    list->clear();
    list->addItem(QObject::tr("the setup's own"), QString());
    if (all.size() > 1) {
        list->addItem(QObject::tr("all %1 in force").arg(all.size()), QString(operations::all_renderings));
        for (const operations::InForce& r : all)
            if (!r.rendering.empty()) list->addItem(qt(r.rendering), qt(r.rendering));
    }
    list->setEnabled(list->count() > 1);
    list->setCurrentIndex(std::max(0, list->findData(kept)));
}

QString last_folder() {
    return QSettings().value("folder", QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)).toString();
}

void remember_folder(const QString& folder) { QSettings().setValue("folder", folder); }

} // namespace refero::app
