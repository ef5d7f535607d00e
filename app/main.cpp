// refero [--demo] [FILE...]
#include <clocale>
#include <cstdio>

#include <QApplication>
#include <QCommandLineParser>

#include "main_window.hpp"
#include "theme.hpp"

int main(int argc, char** argv) {
    using namespace refero;
    QApplication application(argc, argv);
    // Qt takes the user's locale; the C library's number format stays plain, for files written by other libraries.
    std::setlocale(LC_NUMERIC, "C");
    QApplication::setOrganizationName("refero");
    QApplication::setApplicationName("refero");
    QApplication::setApplicationDisplayName("Refero");
    QApplication::setApplicationVersion(
        QString::fromUtf8(program_version().data(), static_cast<int>(program_version().size())));
    QCommandLineParser parser;
    parser.setApplicationDescription("Measures colour charts, makes corrections and proves them.");
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption demo("demo", "Open a scratch copy of the demo job.");
    parser.addOption(demo);
    parser.addPositionalArgument("FILE", "Frames, corrections or chart definitions to open.", "[FILE...]");
    parser.process(application);
    app::start_theme();
    app::MainWindow window;
    window.show();
    if (parser.isSet(demo)) window.open_demo();
    std::vector<app::fs::path> files;
    for (const QString& f : parser.positionalArguments()) files.emplace_back(f.toStdString());
    window.open(files);
    return QApplication::exec();
}
