#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QSpinBox>
#include <QTableWidget>

#include "page.hpp"

namespace refero::app {

/// Files for other programs: what each kind holds, its options, and what was written.
class HandoverPage : public Page {
    Q_OBJECT

public:
    explicit HandoverPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;

private:
    void choose_usual(const deliver::Format* format);
    void choose_kind();
    void write();
    QString default_name() const;

    QListWidget* kinds_;
    QLabel *what_, *fits_;
    QWidget* options_;
    QComboBox *encoding_, *space_, *second_, *picture_format_;
    QSpinBox* size_;
    QLineEdit *folder_, *name_;
    QPushButton* write_;
    QTableWidget* written_;
    QString suggested_;
};

} // namespace refero::app
