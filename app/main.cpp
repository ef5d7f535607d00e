// refero [--demo] [FILE...]
#include <cstdio>

#include <QBuffer>
#include <QCommandLineParser>
#include <QFile>
#include <QPdfWriter>
#include <QTextDocument>
#include <string_view>

#include "application.hpp"
#include "main_window.hpp"
#include "ui/theme.hpp"

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

/// Lays an HTML file out on A4 pages: what the command line's reports are made with. Needs no display.
int html_to_pdf(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    refero::app::quieten_messages();
    const QGuiApplication application(argc, argv);
    QFile in(argv[2]);
    if (!in.open(QIODevice::ReadOnly)) return 1;
    QTextDocument document;
    document.setHtml(QString::fromUtf8(in.readAll()));
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter pdf(&buffer);
    pdf.setPageSize(QPageSize(QPageSize::A4));
    pdf.setPageMargins(QMarginsF(15, 15, 15, 15), QPageLayout::Millimeter);
    pdf.setTitle(document.metaInformation(QTextDocument::DocumentTitle));
    pdf.setCreator("Refero");
    document.print(&pdf);
    QFile out(argv[3]);
    return out.open(QIODevice::WriteOnly) && out.write(bytes) == bytes.size() && out.flush() ? 0 : 1;
}

} // namespace

int main(int argc, char** argv) {
    using namespace refero;
    if (argc == 4 && std::string_view(argv[1]) == "--html-to-pdf") return html_to_pdf(argc, argv);
    remove_unfinished_files_on_signals();
    app::quieten_messages();
    const Arguments asked = arguments_of(argc, argv);
    app::Application application(argc, argv);
    app::start_theme();
    app::MainWindow window;
    window.show();
    std::vector<app::fs::path> files;
    for (const QString& argument : QApplication::arguments().mid(1)) // Qt has taken its own out
        if (!argument.startsWith("--")) files.emplace_back(argument.toStdString());
    if (asked.demo) window.open_demo(files);
    else window.open(files);
    return QApplication::exec();
}
