#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QTableWidget>

#include "model/model.hpp"

namespace refero::app {

/// Corrections made elsewhere: judged on this setup's chart shot beside the raw file's own rendering, and trimmed.
class ElsewherePanel : public QWidget {
    Q_OBJECT

public:
    explicit ElsewherePanel(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup);

signals:
    /// A row was chosen: it is to be seen in the picture.
    void compare(const Comparison& with);

private:
    void open();
    void fill(const std::vector<Judged>& all);
    void show_usage();
    void change_usage();
    void write_trimmed();
    void remove();
    int other() const; ///< index of the chosen file; -1: none

    Desk& desk_;
    Id setup_ = 0;
    QTableWidget* table_;
    QPushButton *open_, *trim_, *remove_;
    QComboBox *input_, *space_;
    QCheckBox* balanced_;
    std::string judged_; ///< what the table shows the judgement of
    int request_ = 0;
    bool standard_ = false; ///< the first row is the raw file's own rendering
};

} // namespace refero::app
