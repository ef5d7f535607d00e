// One list of the kit: a table, a form for the chosen record, and what more there is to say of it.
#pragma once

#include <QHBoxLayout>
#include <QHeaderView>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <functional>
#include <memory>

#include "model/model.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/record_form.hpp"

namespace refero::app {

template<class T>
class KitSection : public QWidget {
public:
    using List = std::vector<T> shoot::Kit::*;
    struct Column {
        QString title;
        std::function<QString(const T&)> text;
    };

    KitSection(Desk& desk, List list, const QString& title, const QString& hint, std::vector<Column> columns)
        : desk_(desk),
          list_(list),
          columns_(std::move(columns)),
          table_(new QTableWidget),
          below_(new QVBoxLayout),
          side_(new QVBoxLayout),
          form_(std::make_unique<RecordForm<T>>(this, [this](const T& row, const QString& what) {
              desk_.kit.change(shoot::put(QObject::tr("%1 of the kit").arg(what).toStdString(), row));
          })) {
        auto* outer = new QVBoxLayout(this);
        outer->setContentsMargins(0, 0, 0, 0);
        auto* head = new QHBoxLayout;
        auto* words = new QVBoxLayout;
        words->setSpacing(0);
        auto* name = new QLabel(title);
        name->setFont(title_font());
        words->addWidget(name);
        auto* about = new FlowLabel(hint);
        about->setProperty("dim", true);
        words->addWidget(about);
        head->addLayout(words, 1);
        add_ = new QPushButton(QObject::tr("Add"));
        remove_ = new QPushButton(QObject::tr("Remove"));
        head->addWidget(add_);
        head->addWidget(remove_);
        outer->addLayout(head);
        auto* row = new QHBoxLayout;
        row->setSpacing(10);
        auto* left = new QVBoxLayout;
        QStringList titles;
        for (const Column& c : columns_) titles << c.title;
        table_->setColumnCount(static_cast<int>(columns_.size()));
        table_->setHorizontalHeaderLabels(titles);
        table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        table_->horizontalHeader()->setHighlightSections(false);
        table_->horizontalHeader()->setStretchLastSection(true);
        table_->verticalHeader()->hide();
        table_->verticalHeader()->setDefaultSectionSize(40);
        table_->setShowGrid(false);
        table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
        table_->setSelectionBehavior(QAbstractItemView::SelectRows);
        table_->setSelectionMode(QAbstractItemView::SingleSelection);
        table_->setAccessibleName(title);
        left->addWidget(table_, 1);
        left->addLayout(below_, 1);
        row->addLayout(left, 1);
        auto* panel = new QFrame;
        panel->setProperty("panel", true);
        panel->setFixedWidth(290);
        side_->setContentsMargins(14, 12, 14, 12);
        panel->setLayout(side_);
        side_->addWidget(form_->widget());
        row->addWidget(panel);
        panel_ = panel;
        outer->addLayout(row, 1);
        QObject::connect(table_, &QTableWidget::currentCellChanged, this, [this](int r, int, int before, int) {
            if (r != before && !filling_) show_chosen();
        });
        QObject::connect(add_, &QPushButton::clicked, this, [this] {
            T fresh{};
            if (prepare_) prepare_(fresh);
            const auto ids = desk_.kit.change(shoot::added(QObject::tr("Add to the kit").toStdString(), fresh));
            if (ids) choose(ids->begin()->second);
        });
        QObject::connect(remove_, &QPushButton::clicked, this, [this] {
            const T* chosen = this->chosen();
            if (!chosen) return;
            const Id id = chosen->id;
            desk_.kit.change(shoot::removed<T>(QObject::tr("Remove from the kit").toStdString(), id));
        });
        QObject::connect(&desk_.kit, &KitDocument::changed, this, [this] {
            if (isVisible()) refresh();
        });
    }

    RecordForm<T>& form() { return *form_; }
    QVBoxLayout* side() { return side_; }
    QVBoxLayout* below() { return below_; }
    QTableWidget* table() { return table_; }
    void on_new(std::function<void(T&)> prepare) { prepare_ = std::move(prepare); }
    void on_chosen(std::function<void(const T*)> show) { show_ = std::move(show); }
    void without_adding() { add_->hide(); }
    void without_form() { panel_->hide(); }
    const T* chosen() {
        return table_->currentRow() < 0
                   ? nullptr
                   : shoot::record(desk_.kit.kit().*list_,
                                   table_->item(table_->currentRow(), 0)->data(Qt::UserRole).toLongLong());
    }
    void choose(Id id) {
        refresh();
        for (int r = 0; r < table_->rowCount(); ++r)
            if (table_->item(r, 0)->data(Qt::UserRole).toLongLong() == id) table_->setCurrentCell(r, 0);
    }
    void refresh() {
        filling_ = true;
        const auto& list = desk_.kit.kit().*list_;
        const Id kept = chosen() ? chosen()->id : 0;
        table_->setRowCount(static_cast<int>(list.size()));
        int row = list.empty() ? -1 : 0;
        for (int r = 0; r < static_cast<int>(list.size()); ++r) {
            const T& record = list[static_cast<std::size_t>(r)];
            for (int c = 0; c < static_cast<int>(columns_.size()); ++c) {
                auto* item = new QTableWidgetItem(columns_[static_cast<std::size_t>(c)].text(record));
                item->setToolTip(item->text());
                if (c == 0) item->setData(Qt::UserRole, qlonglong(record.id));
                table_->setItem(r, c, item);
            }
            if (record.id == kept) row = r;
        }
        table_->resizeColumnsToContents();
        for (int c = 0; c + 1 < table_->columnCount(); ++c)
            table_->setColumnWidth(c, std::clamp(table_->columnWidth(c) + 16, 70, 240));
        table_->setCurrentCell(row, 0);
        filling_ = false;
        show_chosen();
    }

protected:
    void showEvent(QShowEvent*) override { refresh(); }

private:
    void show_chosen() {
        const T* record = chosen();
        form_->widget()->setEnabled(record);
        form_->set(record ? *record : T{});
        remove_->setEnabled(record);
        if (show_) show_(record);
    }

    Desk& desk_;
    List list_;
    std::vector<Column> columns_;
    QTableWidget* table_;
    QVBoxLayout *below_, *side_;
    QPushButton *add_, *remove_;
    QWidget* panel_;
    std::unique_ptr<RecordForm<T>> form_;
    std::function<void(T&)> prepare_;
    std::function<void(const T*)> show_;
    bool filling_ = false;
};

} // namespace refero::app
