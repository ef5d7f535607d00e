#include "facts.hpp"

#include <QVBoxLayout>

#include "flow_label.hpp"
#include "ui/theme.hpp"

namespace refero::app {

Figure::Figure(const QString& name, QWidget* parent)
    : QWidget(parent),
      name_(new QLabel(name)),
      value_(new QLabel),
      words_(new FlowLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(1);
    name_->setProperty("dim", true);
    value_->setFont(figure_font());
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

Facts::Facts(QWidget* parent) : QWidget(parent), table_(new FlowLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    table_->setTextFormat(Qt::RichText);
    table_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    layout->addWidget(table_);
}

void Facts::set(const std::vector<std::pair<QString, QString>>& facts) {
    QString rows;
    for (const auto& [name, value] : facts)
        if (!value.isEmpty())
            rows +=
                QString(
                    "<tr><td style='color:%1; padding:2px 12px 2px 0'>%2</td><td style='padding:2px 0'>%3</td></tr>")
                    .arg(Theme::now().dim.name(), QString(name.toHtmlEscaped()).replace(' ', "&nbsp;"),
                         value.toHtmlEscaped().replace('\n', "<br>"));
    table_->setText("<table cellspacing='0'>" + rows + "</table>");
    table_->setVisible(!rows.isEmpty());
}

} // namespace refero::app
