// Hand over: one setup, several or all, with their stretches and renderings, to where they go.
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QWidget>

#include "handover/destinations.hpp"
#include "model/model.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

class DeliveryView : public QWidget {
    Q_OBJECT

public:
    explicit DeliveryView(Desk& desk, QWidget* parent = nullptr);
    /// These setups are chosen; empty: all that have a correction.
    void choose(const std::vector<Id>& setups);
    QTableWidget* setups() { return setups_; }
    /// One for each of handover::destinations().
    const std::vector<QCheckBox*>& destinations() const { return ticks_; }
    QLineEdit* folder() { return folder_; }
    QPushButton* write_button() { return write_; }

signals:
    void done();

protected:
    void showEvent(QShowEvent*) override { fill(); }

private:
    QWidget* make_destinations();
    void fill();
    /// What can be served, how many files it comes to, and whether it can be written.
    void tell();
    void propose();
    void write();
    std::vector<Id> chosen() const;
    std::vector<Chain> chains_of(const std::vector<Id>& setups) const;
    std::vector<const handover::Destination*> ticked() const;
    /// Where the choice is kept: by client and cameras.
    QString key() const;

    Desk& desk_;
    QLabel* sentence_;
    FlowLabel* next_;
    QTableWidget* setups_;
    std::vector<QCheckBox*> ticks_;
    std::vector<FlowLabel*> words_; ///< beside each destination
    QLineEdit* folder_;
    QPushButton* write_;
    std::vector<Id> wanted_; ///< chosen from outside; empty: all
};

} // namespace refero::app
