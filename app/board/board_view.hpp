// The board: cameras down, lights across, one cell a setup with its chain in small.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QTableView>

#include "../session.hpp"

namespace refero::app {

class BoardView : public QWidget {
    Q_OBJECT

public:
    explicit BoardView(Session& session, QWidget* parent = nullptr);
    void refresh();
    QTableView* table() { return table_; }

signals:
    void setup_opened(int setup);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void stretch();
    void tell();

    Session& session_;
    QLabel *title_, *summary_;
    QPushButton* fit_all_;
    QTableView* table_;
};

} // namespace refero::app
