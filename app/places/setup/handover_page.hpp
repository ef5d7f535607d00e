#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QSpinBox>
#include <QStackedWidget>
#include <QTableWidget>

#include "develop_panel.hpp"
#include "page.hpp"

namespace refero::app {

/// Files for other programs: what each kind holds, its options, and what was written.
class HandoverPage : public Page {
    Q_OBJECT

public:
    explicit HandoverPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    /// A delivered picture of the chart shot: what became of its colours on the way.
    void verify(const fs::path& picture);

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    void fill_kinds();
    QWidget* make_form();
    void make_side();
    QWidget* make_written();
    void choose_usual(const handover::Format* format);
    void choose_kind();
    void write();
    /// The same, straight to where a program looks, under a name that is free there.
    void put();
    bool write_to(const fs::path& folder, bool put);
    fs::path free_name(const handover::Format& format, const fs::path& wanted) const;
    void fill_destinations();
    QString next_step(const handover::Format& format) const;
    QString default_name() const;

    QListWidget* kinds_;
    QStackedWidget* forms_; ///< of a file, of the frames
    DevelopPanel* develop_;
    QLabel *what_, *fits_;
    QComboBox *encoding_, *space_, *second_, *destination_, *rendering_;
    QSpinBox* size_;
    QLineEdit *folder_, *name_, *model_;
    QPushButton *write_, *put_;
    QLabel* next_;
    QLabel* verified_;
    QTableWidget* written_;
};

} // namespace refero::app
