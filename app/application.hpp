// The program: one net under the event loop, so that nothing that a file or a folder does ends the window.
#pragma once

#include <QApplication>

namespace refero::app {

class Application : public QApplication {
    Q_OBJECT

public:
    Application(int& argc, char** argv);
    bool notify(QObject* receiver, QEvent* event) override;

signals:
    /// An exception that nothing else has caught, in words.
    void failed(const QString& message);
};

/// Qt's own remarks are not the user's business: only what stops the program is printed, the rest where
/// REFERO_MESSAGES is set.
void quieten_messages();

} // namespace refero::app
