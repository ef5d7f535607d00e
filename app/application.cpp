#include "application.hpp"

#include <clocale>
#include <cstdio>
#include <cstdlib>
#include <exception>

#include "base/base.hpp"

namespace refero::app {

Application::Application(int& argc, char** argv) : QApplication(argc, argv) {
    // Qt takes the user's locale; the C library's number format stays plain, for files written by other libraries.
    std::setlocale(LC_NUMERIC, "C");
    setOrganizationName("refero");
    setApplicationName("refero");
    setApplicationDisplayName("Refero");
    setApplicationVersion(QString::fromUtf8(program_version().data(), static_cast<int>(program_version().size())));
}

bool Application::notify(QObject* receiver, QEvent* event) {
    try {
        return QApplication::notify(receiver, event);
    } catch (const std::bad_alloc&) {
        emit failed(tr("There is not enough memory for this. Close other programs, then do it again."));
    } catch (const std::exception& problem) { emit failed(QString::fromUtf8(problem.what())); }
    return false;
}

void quieten_messages() {
    if (std::getenv("REFERO_MESSAGES")) return;
    qInstallMessageHandler([](QtMsgType type, const QMessageLogContext&, const QString& text) {
        if (type == QtCriticalMsg || type == QtFatalMsg) std::fprintf(stderr, "%s\n", qPrintable(text));
    });
}

} // namespace refero::app
