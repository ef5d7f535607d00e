#include "page.hpp"

#include <QFrame>
#include <QSettings>
#include <QStandardPaths>

#include "../theme.hpp"

namespace refero::app {

Page::Page(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      side_panel_(new QFrame),
      side_(new QVBoxLayout(side_panel_)) {
    side_panel_->setProperty("panel", true);
    side_panel_->setFixedWidth(272);
    side_->setContentsMargins(14, 12, 14, 14);
    side_->setSpacing(10);
}

void Page::arrange(QWidget* main, QWidget* below, int below_height) {
    auto* top = new QWidget;
    auto* row = new QHBoxLayout(top);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(main, 1);
    row->addWidget(side_panel_);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 8, 8, 8);
    if (!below) {
        outer->addWidget(top);
        return;
    }
    auto* splitter = new QSplitter(Qt::Vertical);
    splitter->setHandleWidth(8);
    splitter->setChildrenCollapsible(false);
    splitter->addWidget(top);
    splitter->addWidget(below);
    splitter->setStretchFactor(0, 1);
    splitter->setStretchFactor(1, 0);
    splitter->setSizes({700 - below_height, below_height});
    outer->addWidget(splitter);
}

QPushButton* Page::side_button(const QString& text, const QString& icon_name, const QString& tooltip, bool primary) {
    auto* button = new QPushButton(text);
    if (!icon_name.isEmpty() && !primary) button->setIcon(icon(icon_name));
    button->setProperty("primary", primary);
    button->setToolTip(tooltip);
    button->setCursor(Qt::PointingHandCursor);
    side_->addWidget(button);
    return button;
}

QString last_folder() {
    return QSettings().value("folder", QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)).toString();
}

void remember_folder(const QString& folder) { QSettings().setValue("folder", folder); }

} // namespace refero::app
