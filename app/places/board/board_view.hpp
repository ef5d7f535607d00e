// The board: cameras down, lights across, one cell a setup with its state and its chain in small.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>

#include "board_model.hpp"

namespace refero::app {

class BoardView : public QWidget {
    Q_OBJECT

public:
    explicit BoardView(Desk& desk, QWidget* parent = nullptr);
    void refresh();
    QTableView* table() { return table_; }
    QLineEdit* filter() { return filter_; }
    /// The chosen cell's setup, or 0.
    Id chosen() const;
    /// Plans the setup of a cell that is not planned yet; gives its id.
    Id plan_cell(int row, int column);

signals:
    void setup_opened(Id setup);
    void handover_wanted();

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void set_up_table();
    QWidget* make_key();
    void stretch();
    void tell();
    void apply_filter();
    void menu_at(const QPoint& at);
    void dropped(const std::vector<fs::path>& files, int row, int column);
    void lent(Id from, Id to);

    Desk& desk_;
    BoardModel* model_;
    QLabel *title_, *summary_, *empty_;
    QLineEdit* filter_;
    QPushButton *fit_all_, *hand_over_;
    QTableView* table_;
};

} // namespace refero::app
