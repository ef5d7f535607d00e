// The look: neutral greys, one typeface, icons drawn in the text's colour.
#pragma once

#include <QColor>
#include <QIcon>
#include <QPalette>
#include <QString>

namespace refero::app {

/// All colours are neutral (R = G = B), so that nothing near a picture tints the eye (ISO 3664).
struct Theme {
    enum class Kind { light, mid, dark };
    Kind kind = Kind::light;
    QColor window, panel, raised, line, text, dim, strong, on_strong, surround;

    static const Theme& now();
    static void use(Kind kind);
};

/// While it lives the application has no style sheet. A window is built under it, since each widget that is put into
/// another would be styled anew with all that it holds; the sheet comes back once all are in their places.
class Unstyled {
public:
    Unstyled();
    ~Unstyled();
    Unstyled(const Unstyled&) = delete;
    Unstyled& operator=(const Unstyled&) = delete;

private:
    QString sheet_;
};

/// Loads the typeface and the theme kept from last time. Call once, after the application object exists.
void start_theme();
/// An icon of ours in the theme's text colour.
QIcon icon(const QString& name);
/// Fonts by use, in the shipped typeface (its figures are tabular).
QFont title_font();
QFont figure_font();
QFont small_font();

} // namespace refero::app
