#include "gate_limits.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "operations/correct/keeping.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

constexpr double never = 1000; // a limit that nothing reaches
enum Columns { check, caution, reshoot, unit, reason, columns_in_all };

QJsonObject object_of(const std::string& text) {
    return QJsonDocument::fromJson(QByteArray::fromStdString(text)).object();
}

} // namespace

GateLimits::GateLimits(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      table_(plain_table({{tr("Check"), {}},
                          {tr("Cautions from"), tr("Double-click to change it")},
                          {tr("Refuses from"), tr("Double-click to change it")},
                          {tr("Unit"), {}},
                          {tr("Why"), {}}},
                         tr("The gate's limits"))),
      reset_(new QPushButton(tr("Back to the usual limits"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    auto* name = new QLabel(tr("The gate's limits"));
    name->setFont(title_font());
    auto* about =
        new FlowLabel(tr("From where on a chart shot is passed with a caution, or refused. They hold for frames "
                         "that come in from now on; frames already judged keep their verdict. The school of a "
                         "job (a tenth of the frame, or fill it) moves some of them."));
    about->setProperty("dim", true);
    auto* head = new QHBoxLayout;
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    words->addWidget(name);
    words->addWidget(about);
    head->addLayout(words, 1);
    head->addWidget(reset_, 0, Qt::AlignTop);
    column->addLayout(head);
    column->addWidget(table_, 1);
    table_->setObjectName("gateLimits");
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                            QAbstractItemView::AnyKeyPressed);
    for (const int k : {caution, reshoot})
        table_->horizontalHeaderItem(k)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    reset_->setObjectName("usualLimits");
    connect(reset_, &QPushButton::clicked, this, [this] { desk_.setups.set_limits({}); });
    connect(table_, &QTableWidget::cellChanged, this, &GateLimits::edited);
    connect(&desk_.kit, &KitDocument::changed, this, &GateLimits::fill);
    connect(&desk_.job, &JobDocument::changed, this, [this] {
        if (in_force() != shown_) fill();
    });
    fill();
}

// Of the open job, which keeps a copy of what it uses; else of the house.
std::string GateLimits::in_force() const {
    return desk_.job.is_open() ? desk_.job.shoot().brief().limits : operations::house_limits(desk_.kit.kit());
}

void GateLimits::fill() {
    const QSignalBlocker quiet(table_);
    shown_ = in_force();
    const inspect::Limits limits = operations::limits_of({.limits = shown_}), usual = inspect::limits_for({});
    table_->setRowCount(static_cast<int>(limits.size()));
    int r = 0;
    for (const auto& [name, l] : limits) {
        const inspect::Limit& u = usual.at(name);
        const auto number = [](double v) { return QString::number(v, 'g', 6); };
        const QString texts[columns_in_all] = {
            QString::fromStdString(name), number(l.caution), u.reshoot >= never ? tr("never") : number(l.reshoot),
            QString::fromStdString(l.unit) + (l.lower ? tr(", or less") : QString()), QString::fromStdString(l.reason)};
        for (int k = 0; k < columns_in_all; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setTextAlignment((k == caution || k == reshoot ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            if ((k != caution && k != reshoot) || texts[k] == tr("never"))
                item->setFlags(item->flags() & ~Qt::ItemIsEditable);
            QFont f = table_->font();
            f.setWeight((k == caution && l.caution != u.caution) || (k == reshoot && l.reshoot != u.reshoot)
                            ? QFont::DemiBold
                            : QFont::Normal);
            item->setFont(f);
            if (k == reason) item->setToolTip(texts[k]);
            table_->setItem(r, k, item);
        }
        ++r;
    }
    reset_->setEnabled(!shown_.empty());
}

void GateLimits::edited(int row, int column) {
    bool number = false;
    const double value = table_->item(row, column)->text().toDouble(&number);
    const QString name = table_->item(row, check)->text();
    if (number && value >= 0) {
        QJsonObject all = object_of(shown_), one = all.value(name).toObject();
        one.insert(column == caution ? "caution" : "reshoot", value);
        all.insert(name, one);
        desk_.setups.set_limits(QJsonDocument(all).toJson(QJsonDocument::Compact).toStdString());
    }
    fill(); // what is no number is put back
}

} // namespace refero::app
