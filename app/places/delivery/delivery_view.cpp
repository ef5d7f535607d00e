#include "delivery_view.hpp"

#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>
#include <QSettings>
#include <QSignalBlocker>
#include <QToolButton>

#include "operations/handover/delivery.hpp"
#include "places/setup/page.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

DeliveryView::DeliveryView(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      sentence_(new QLabel),
      next_(new FlowLabel),
      setups_(plain_table({{tr("Setup"), tr("Ticked ones are handed over, with all their stretches and renderings")},
                           {tr("Mean \u0394E"), tr("Accuracy: colour difference on patches held out, mean CIEDE2000")},
                           {tr("State"), tr("What a stale correction lacks stands on its page")}},
                          tr("Setups to hand over"))),
      folder_(new QLineEdit),
      write_(new QPushButton) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 4, 16, 12);
    column->setSpacing(6);
    sentence_->setFont(title_font());
    sentence_->setObjectName("deliverySentence");
    next_->setProperty("dim", true);
    column->addWidget(sentence_);
    column->addWidget(next_);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(20);
    setups_->setObjectName("deliverySetups");
    setups_->horizontalHeader()->setStretchLastSection(false);
    setups_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    setups_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    columns->addWidget(setups_, 1);
    columns->addWidget(make_destinations(), 1);
    column->addLayout(columns, 1);

    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("Fol&der"));
    label->setBuddy(folder_);
    folder_->setObjectName("deliveryFolder");
    folder_->setToolTip(tr("Each destination gets a folder of its own in it"));
    auto* browse = new QToolButton;
    browse->setIcon(icon("folder"));
    browse->setToolTip(tr("Choose the folder"));
    browse->setAccessibleName(tr("Choose the folder"));
    write_->setObjectName("deliverButton");
    write_->setProperty("primary", true);
    row->addWidget(label);
    row->addWidget(folder_, 1);
    row->addWidget(browse);
    row->addSpacing(12);
    row->addWidget(write_);
    column->addLayout(row);
    connect(browse, &QToolButton::clicked, this, [this] {
        const QString folder =
            QFileDialog::getExistingDirectory(this, tr("Folder for handover files"), folder_->text());
        if (!folder.isEmpty()) folder_->setText(folder);
    });
    connect(folder_, &QLineEdit::returnPressed, this, &DeliveryView::write);
    connect(folder_, &QLineEdit::textChanged, this, &DeliveryView::tell);
    connect(write_, &QPushButton::clicked, this, &DeliveryView::write);
    connect(setups_, &QTableWidget::itemChanged, this, &DeliveryView::tell);
    connect(&desk_.chains, &Chains::followed, this, [this] {
        if (isVisible()) fill();
    });
}

QWidget* DeliveryView::make_destinations() {
    auto* panel = new QFrame;
    panel->setProperty("panel", true);
    auto* grid = new QVBoxLayout(panel);
    grid->setContentsMargins(16, 12, 16, 12);
    grid->setSpacing(3);
    for (const handover::Destination& d : handover::destinations()) {
        auto* tick = new QCheckBox(qt(d.title));
        tick->setObjectName("to-" + qt(d.id));
        QFont font = tick->font();
        font.setWeight(QFont::DemiBold);
        tick->setFont(font);
        QStringList files;
        for (const std::string& f : d.formats) files << qt(handover::format_named(f).title);
        tick->setToolTip(tr("Writes %1. Put them into %2.").arg(files.join(", "), qt(d.where)));
        auto* words = new FlowLabel;
        words->setProperty("dim", true);
        words->setContentsMargins(26, 0, 0, 5);
        connect(tick, &QCheckBox::toggled, this, &DeliveryView::tell);
        ticks_.push_back(tick);
        words_.push_back(words);
        grid->addWidget(tick);
        grid->addWidget(words);
    }
    grid->addStretch();
    return panel;
}

void DeliveryView::choose(const std::vector<Id>& setups) {
    wanted_ = setups;
    setups_->setRowCount(0);
    if (isVisible()) fill();
}

void DeliveryView::fill() {
    const QSignalBlocker quiet(setups_);
    std::map<Id, bool> was;
    for (int r = 0; r < setups_->rowCount(); ++r)
        was[setups_->item(r, 0)->data(Qt::UserRole).toLongLong()] = setups_->item(r, 0)->checkState() == Qt::Checked;
    setups_->setRowCount(0);
    for (const Id id : desk_.chains.ids()) {
        const Chain& c = desk_.chains.at(id);
        if (!c.correction) continue;
        const int r = setups_->rowCount();
        setups_->insertRow(r);
        const auto known = was.find(id);
        const bool on = known != was.end()
                            ? known->second
                            : wanted_.empty() || std::find(wanted_.begin(), wanted_.end(), id) != wanted_.end();
        const std::size_t stretches = desk_.chains.stretches(id).size();
        auto* name = new QTableWidgetItem(desk_.chains.title_of(id) +
                                          (stretches > 1 ? tr(", %1 stretches").arg(stretches) : QString()));
        name->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
        name->setCheckState(on ? Qt::Checked : Qt::Unchecked);
        name->setData(Qt::UserRole, static_cast<qlonglong>(id));
        setups_->setItem(r, 0, name);
        setups_->setItem(r, 1,
                         new QTableWidgetItem(c.balance_only()
                                                  ? tr("balance only")
                                                  : QString::number(c.correction->cross_validated.mean, 'f', 2)));
        setups_->setItem(r, 2, new QTableWidgetItem(c.correction_stale() ? tr("stale") : tr("current")));
    }
    if (folder_->text().isEmpty()) folder_->setText(last_folder());
    if (was.empty()) propose();
    tell();
}

QString DeliveryView::key() const {
    QStringList cameras;
    for (const Id id : chosen()) {
        const QString name = qt(shoot::name_in(desk_.job.shoot().cameras, desk_.chains.at(id).row.camera));
        if (!cameras.contains(name)) cameras << name;
    }
    cameras.sort();
    return "deliveries/" +
           QString::fromLatin1(QUrl::toPercentEncoding(qt(desk_.job.shoot().brief().client) + "|" + cameras.join("|")));
}

// As the last time for this client and these cameras; else what each setup's recording mode asks for.
void DeliveryView::propose() {
    const QStringList kept = QSettings().value(key()).toStringList();
    std::set<std::string> ids;
    for (const QString& id : kept) ids.insert(id.toStdString());
    if (kept.isEmpty())
        for (const Chain& c : chains_of(chosen()))
            ids.insert(handover::destination_for(operations::records_of(desk_.job.shoot(), c)).id);
    for (std::size_t i = 0; i < ticks_.size(); ++i) {
        const QSignalBlocker quiet(ticks_[i]);
        ticks_[i]->setChecked(ids.contains(handover::destinations()[i].id));
    }
}

std::vector<Id> DeliveryView::chosen() const {
    std::vector<Id> all;
    for (int r = 0; r < setups_->rowCount(); ++r)
        if (setups_->item(r, 0)->checkState() == Qt::Checked)
            all.push_back(setups_->item(r, 0)->data(Qt::UserRole).toLongLong());
    return all;
}

std::vector<Chain> DeliveryView::chains_of(const std::vector<Id>& setups) const {
    std::vector<Chain> all;
    for (const Id id : setups)
        if (desk_.chains.has(id))
            for (const Chain& c : desk_.chains.stretches(id))
                if (c.correction) all.push_back(c);
    return all;
}

std::vector<const handover::Destination*> DeliveryView::ticked() const {
    std::vector<const handover::Destination*> all;
    for (std::size_t i = 0; i < ticks_.size(); ++i)
        if (ticks_[i]->isChecked()) all.push_back(&handover::destinations()[i]);
    return all;
}

void DeliveryView::tell() {
    const std::vector<Chain> chains = chains_of(chosen());
    std::size_t files = 0;
    for (std::size_t i = 0; i < ticks_.size(); ++i) {
        const handover::Destination& d = handover::destinations()[i];
        std::size_t served = 0;
        for (const Chain& c : chains) served += d.serves(operations::records_of(desk_.job.shoot(), c));
        ticks_[i]->setEnabled(served > 0 || ticks_[i]->isChecked());
        QStringList formats;
        for (const std::string& f : d.formats) formats << qt(handover::format_named(f).title);
        QString words = served || chains.empty() ? formats.join(", ") + ". " + qt(d.next)
                                                 : tr("Serves none of these: %1.").arg(qt(d.why_not));
        if (served && served < chains.size())
            words += " " + tr("Not for %1 of them: %2.").arg(chains.size() - served).arg(qt(d.why_not));
        words_[i]->setText(words);
        if (ticks_[i]->isChecked()) files += served * d.formats.size();
    }
    const bool any = setups_->rowCount() > 0;
    sentence_->setText(!any             ? tr("There is nothing to hand over yet")
                       : chains.empty() ? tr("Tick what is to be handed over")
                       : chains.size() == 1
                           ? tr("One correction goes to where its pictures are worked on")
                           : tr("%1 corrections go to where their pictures are worked on").arg(chains.size()));
    next_->setText(!any
                       ? tr("Read a chart and fit a correction first: the board says which setup is next.")
                       : tr("Tick the destinations. Each file says inside what it is for and how long it holds; a note "
                            "in words goes with it."));
    write_->setText(files == 0   ? tr("Hand over")
                    : files == 1 ? tr("Hand over 1 file")
                                 : tr("Hand over %1 files").arg(files));
    write_->setEnabled(files > 0 && !folder_->text().trimmed().isEmpty());
}

void DeliveryView::write() {
    if (!write_->isEnabled()) return;
    const fs::path folder = folder_->text().trimmed().toStdString();
    remember_folder(folder_->text().trimmed());
    QStringList kept;
    for (const handover::Destination* d : ticked()) kept << qt(d->id);
    QSettings().setValue(key(), kept);
    std::vector<operations::Delivery> deliveries;
    const bool planned = desk_.notices.guarded([&] {
        for (const handover::Destination* d : ticked())
            deliveries.push_back(operations::plan_delivery(desk_.job.shoot(),
                                                           {.chains = chains_of(chosen()),
                                                            .destination = d,
                                                            .folder = ticked().size() > 1 ? folder / d->id : folder}));
    });
    if (planned && desk_.handovers.deliver(deliveries)) emit done();
}

} // namespace refero::app
