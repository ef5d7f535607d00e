#include "ui/theme.hpp"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QIconEngine>
#include <QPainter>
#include <QSettings>
#include <QStyleFactory>
#include <QSvgRenderer>

namespace refero::app {

namespace {

QColor grey(int v) { return {v, v, v}; }

Theme theme_of(Theme::Kind kind) {
    switch (kind) {
    case Theme::Kind::light:
        return {kind,       grey(0xe4), grey(0xf1), grey(0xff), grey(0xb4),
                grey(0x1a), grey(0x50), grey(0x26), grey(0xff), grey(0xb6)};
    case Theme::Kind::mid:
        return {kind,       grey(0x5e), grey(0x55), grey(0x4a), grey(0x85),
                grey(0xff), grey(0xe4), grey(0xf4), grey(0x20), grey(0x70)};
    case Theme::Kind::dark:
        return {kind,       grey(0x1f), grey(0x29), grey(0x35), grey(0x52),
                grey(0xec), grey(0xb8), grey(0xec), grey(0x1a), grey(0x3a)};
    }
    return {};
}

Theme current = theme_of(Theme::Kind::light);

QString style_sheet(const Theme& t) {
    QString s = R"(
QMainWindow, QDialog { background: @window; }
QToolTip { background: @raised; color: @text; border: 1px solid @line; padding: 5px; }
QMenu { background: @raised; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 6px 22px 6px 14px; }
QMenu::item:selected { background: @strong; color: @on_strong; }
QMenu::item:disabled { color: @line; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QPushButton, QToolButton { background: @raised; border: 1px solid @line; border-radius: 4px; padding: 6px 12px; }
QPushButton:hover, QToolButton:hover { border-color: @text; }
QPushButton:focus, QToolButton:focus { border: 2px solid @text; padding: 5px 11px; }
QPushButton:pressed, QToolButton:pressed { background: @line; }
QPushButton:disabled, QToolButton:disabled { color: @line; border-color: @line; }
QPushButton[primary="true"] { background: @strong; color: @on_strong; border-color: @strong; font-weight: 600;
  padding: 9px 14px; }
QPushButton[primary="true"]:focus { border: 2px solid @line; padding: 8px 13px; }
QPushButton[primary="true"]:disabled { background: @line; color: @panel; }
QToolButton[time="true"] { background: transparent; border: none; padding: 5px 8px; }
QToolButton[time="true"]:hover { background: @raised; }
QToolButton[time="true"]:checked { font-weight: 600; border-bottom: 3px solid @text; border-radius: 0; }
QToolButton[flat="true"] { background: transparent; border: none; padding: 5px 8px; }
QToolButton[flat="true"]:hover { background: @raised; }
QToolButton[flat="true"]:checked { font-weight: 600; border-bottom: 3px solid @text; border-radius: 0; }
QToolButton::menu-indicator { image: none; }
QComboBox, QLineEdit, QAbstractSpinBox { background: @raised; border: 1px solid @line; border-radius: 4px;
  padding: 5px 8px; selection-background-color: @strong; selection-color: @on_strong; }
QComboBox:focus, QLineEdit:focus, QAbstractSpinBox:focus { border: 2px solid @text; padding: 4px 7px; }
QComboBox:disabled, QAbstractSpinBox:disabled, QCheckBox:disabled, QLabel:disabled { color: @line; }
QComboBox::drop-down { border: none; width: 22px; }
QComboBox::down-arrow { image: url(:/icons/down.svg); width: 12px; height: 12px; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { border: none; background: transparent; width: 20px; }
QAbstractSpinBox::up-arrow { image: url(:/icons/up.svg); width: 10px; height: 10px; }
QAbstractSpinBox::down-arrow { image: url(:/icons/down.svg); width: 10px; height: 10px; }
QCheckBox::indicator, QTableView::indicator { width: 9px; height: 9px; padding: 2px; background: @raised;
  border: 1px solid @dim; border-radius: 2px; }
QCheckBox::indicator:checked, QTableView::indicator:checked { width: 11px; height: 11px; padding: 0;
  background: @text; border: 2px solid @raised; border-radius: 3px; }
QCheckBox:focus { font-weight: 600; }
QTableView::item { border: none; padding: 0 8px; }
QTableView::item:selected, QListView::item:selected { background: @strong; color: @on_strong; }
QComboBox QAbstractItemView { background: @raised; border: 1px solid @line; selection-background-color: @strong;
  selection-color: @on_strong; }
QTableView, QListView { background: @panel; border: 1px solid @line; gridline-color: @line;
  selection-background-color: @strong; selection-color: @on_strong; outline: 0; }
QTableView:focus, QListView:focus { border: 1px solid @text; }
QHeaderView { background: @panel; }
QHeaderView::section { background: @panel; color: @dim; border: none; border-bottom: 1px solid @line;
  padding: 5px 11px; font-weight: 600; }
QTableCornerButton::section { background: @panel; border: none; }
QScrollBar:vertical { background: transparent; width: 11px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 11px; margin: 0; }
QScrollBar::handle { background: @line; border-radius: 5px; min-height: 24px; min-width: 24px; margin: 2px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QProgressBar { background: @panel; border: 1px solid @line; border-radius: 4px; text-align: center;
  min-height: 14px; max-height: 14px; }
QProgressBar::chunk { background: @dim; border-radius: 3px; }
QSplitter::handle { background: @window; }
QLabel[dim="true"] { color: @dim; }
QFrame[panel="true"] { background: @panel; border: 1px solid @line; border-radius: 6px; }
QWidget#placeLine { background: @panel; border-bottom: 1px solid @line; }
QWidget#noticeStrip { background: @strong; }
QWidget#noticeStrip QLabel { color: @on_strong; }
QWidget#taskStrip { background: @panel; border-top: 1px solid @line; }
)";
    const std::pair<const char*, QColor> names[] = {
        {"@window", t.window}, {"@panel", t.panel}, {"@raised", t.raised},       {"@line", t.line},
        {"@text", t.text},     {"@dim", t.dim},     {"@on_strong", t.on_strong}, {"@strong", t.strong}};
    for (const auto& [name, colour] : names) s.replace(QLatin1String(name), colour.name());
    return s;
}

} // namespace

const Theme& Theme::now() { return current; }

void Theme::use(Kind kind) {
    current = theme_of(kind);
    QPalette p;
    p.setColor(QPalette::Window, current.window);
    p.setColor(QPalette::Base, current.panel);
    p.setColor(QPalette::AlternateBase, current.raised);
    p.setColor(QPalette::Button, current.raised);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
        p.setColor(role, current.text);
    p.setColor(QPalette::PlaceholderText, current.dim);
    p.setColor(QPalette::Highlight, current.strong);
    p.setColor(QPalette::HighlightedText, current.on_strong);
    QApplication::setPalette(p);
    qApp->setStyleSheet(style_sheet(current));
    QSettings().setValue("theme", static_cast<int>(kind));
}

Unstyled::Unstyled() : sheet_(qApp->styleSheet()) { qApp->setStyleSheet({}); }
Unstyled::~Unstyled() { qApp->setStyleSheet(sheet_); }

void start_theme() {
    for (const char* face : {"Regular", "Semibold", "Black"})
        QFontDatabase::addApplicationFont(QString(":/fonts/%1.ttf").arg(face));
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QFont font("Lato");
    font.setPointSizeF(10);
    QApplication::setFont(font);
    const int kept = QSettings().value("theme", static_cast<int>(Theme::Kind::light)).toInt();
    Theme::use(static_cast<Theme::Kind>(std::clamp(kept, 0, 2)));
}

namespace {

/// Painted in the colours of the theme that is in use when it is painted.
class TintedIcon : public QIconEngine {
public:
    explicit TintedIcon(QByteArray svg) : svg_(std::move(svg)) {}
    void paint(QPainter* painter, const QRect& rect, QIcon::Mode mode, QIcon::State) override {
        QByteArray tinted = svg_;
        tinted.replace("#000", (mode == QIcon::Disabled ? current.line : current.text).name().toLatin1());
        QSvgRenderer(tinted).render(painter, rect);
    }
    QPixmap pixmap(const QSize& size, QIcon::Mode mode, QIcon::State state) override {
        QPixmap pixmap(size);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        paint(&painter, {QPoint(), size}, mode, state);
        return pixmap;
    }
    QIconEngine* clone() const override { return new TintedIcon(svg_); }

private:
    QByteArray svg_; ///< black
};

} // namespace

QIcon icon(const QString& name) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QFile::ReadOnly)) return {};
    return QIcon(new TintedIcon(file.readAll()));
}

namespace {
QFont scaled(double factor, QFont::Weight weight) {
    QFont f = QApplication::font();
    f.setPointSizeF(f.pointSizeF() * factor);
    f.setWeight(weight);
    return f;
}
} // namespace

QFont title_font() { return scaled(1.15, QFont::DemiBold); }
QFont figure_font() { return scaled(2.3, QFont::DemiBold); }
QFont small_font() { return scaled(0.9, QFont::Normal); }

} // namespace refero::app
