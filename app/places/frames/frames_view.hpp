// Frames: everything that came in, where it was put and why; many can be put elsewhere at once.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>

#include "frames_model.hpp"

namespace refero::app {

class ClipPanel;

class FramesView : public QWidget {
    Q_OBJECT

public:
    explicit FramesView(Desk& desk, QWidget* parent = nullptr);
    QTableView* table() { return table_; }
    FramesModel* model() { return model_; }
    std::vector<Id> chosen() const;
    void choose(const std::vector<Id>& frames);

signals:
    void setup_opened(Id setup);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void set_up_table();
    QLayout* make_actions();
    /// Columns share the table's width, unless the user has pulled one.
    void share_width();
    void tell();
    void fill_setups();
    void menu_at(const QPoint& at);

    Desk& desk_;
    FramesModel* model_;
    QTableView* table_;
    QLineEdit* filter_;
    QLabel *summary_, *empty_;
    QComboBox* setups_;
    QPushButton *put_, *chart_, *watch_;
    ClipPanel* clip_;
    bool own_widths_ = false;
};

} // namespace refero::app
