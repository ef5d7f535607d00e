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

/// Loads the typeface and the theme kept from last time. Call once, after the application object exists.
void start_theme();
/// An icon of ours in the theme's text colour.
QIcon icon(const QString& name);
/// Fonts by use, in the shipped typeface (its figures are tabular).
QFont title_font();
QFont figure_font();
QFont small_font();

} // namespace refero::app
