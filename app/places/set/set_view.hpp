// On set: the newest chart shot's verdict and its one remedy, read from two metres, and what is still to be shot under
// this light. Nothing else; it follows what comes in by itself.
#pragma once

#include <QLabel>
#include <QWidget>

#include "model/model.hpp"

namespace refero::app {

class SetView : public QWidget {
    Q_OBJECT

public:
    explicit SetView(Desk& desk, QWidget* parent = nullptr);
    /// Full screen, on the newest chart shot of the job; `setup` where one is open.
    void begin(Id setup = 0);
    Id setup() const { return setup_; }
    const QLabel* verdict() const { return verdict_; }

protected:
    void resizeEvent(QResizeEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void follow(Id setup);
    void refresh();
    void size_letters();

    Desk& desk_;
    Id setup_ = 0;
    QLabel *whose_, *verdict_, *remedy_, *open_;
};

} // namespace refero::app
