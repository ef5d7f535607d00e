#include "facts.hpp"

#include <QVBoxLayout>

#include "../theme.hpp"

namespace refero::app {

Figure::Figure(const QString& name, QWidget* parent) : QWidget(parent), name_(new QLabel(name)), value_(new QLabel), words_(new QLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(1);
    name_->setProperty("dim", true);
    value_->setFont(figure_font());
    words_->setWordWrap(true);
    for (QLabel* label : {name_, value_, words_}) layout->addWidget(label);
    value_->setTextInteractionFlags(Qt::TextSelectableByMouse);
}

void Figure::set(const QString& value, const QString& words, const QString& tooltip) {
    value_->setText(value);
    words_->setText(words);
    words_->setVisible(!words.isEmpty());
    setToolTip(tooltip);
    value_->setAccessibleName(name_->text() + " " + value);
}

Facts::Facts(QWidget* parent) : QWidget(parent), form_(new QFormLayout(this)) {
    form_->setContentsMargins(0, 0, 0, 0);
    form_->setHorizontalSpacing(12);
    form_->setVerticalSpacing(4);
}

void Facts::set(const std::vector<std::pair<QString, QString>>& facts) {
    while (form_->rowCount()) form_->removeRow(0);
    for (const auto& [name, value] : facts) {
        if (value.isEmpty()) continue;
        auto* left = new QLabel(name);
        left->setProperty("dim", true);
        auto* right = new QLabel(value);
        right->setWordWrap(true);
        right->setTextInteractionFlags(Qt::TextSelectableByMouse);
        form_->addRow(left, right);
    }
}

} // namespace refero::app
