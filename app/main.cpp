// refero [--demo] [FILE...]
#include <cstdio>

#include <QCommandLineParser>

#include "application.hpp"
#include "main_window.hpp"
#include "theme.hpp"

namespace {

struct Arguments {
    bool demo = false;
};

// Before there is a window: help needs no display.
Arguments arguments_of(int argc, char** argv) {
    const QCoreApplication before(argc, argv);
    QCoreApplication::setApplicationName("refero");
    QCoreApplication::setApplicationVersion(QString::fromUtf8(refero::program_version().data()));
    QCommandLineParser parser;
    parser.setApplicationDescription("Measures colour charts, makes corrections and proves them.");
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption demo("demo", "Open a scratch copy of the demo job.");
    parser.addOption(demo);
    parser.addPositionalArgument("FILE", "Jobs, frames, corrections or chart definitions to open.", "[FILE...]");
    // What is not ours may be Qt's own (-platform, -style).
    if (!parser.parse(QCoreApplication::arguments()) && argc == 2) parser.process(QCoreApplication::arguments());
    if (parser.isSet("help")) parser.showHelp();
    if (parser.isSet("version")) parser.showVersion();
    return {parser.isSet(demo)};
}

} // namespace

int main(int argc, char** argv) {
    using namespace refero;
    remove_unfinished_files_on_signals();
    app::quieten_messages();
    const Arguments asked = arguments_of(argc, argv);
    app::Application application(argc, argv);
    app::start_theme();
    app::MainWindow window;
    window.show();
    if (asked.demo) window.open_demo();
    std::vector<app::fs::path> files;
    for (const QString& argument : QApplication::arguments().mid(1)) // Qt has taken its own out
        if (!argument.startsWith("--")) files.emplace_back(argument.toStdString());
    window.open(files);
    return QApplication::exec();
}
