// Pictures as the screen needs them: from sRGB codes through the profile of the monitor on which the window stands.
#pragma once

#include <QCache>
#include <QImage>
#include <QObject>
#include <memory>

#include "shoot/kit.hpp"

class QScreen;

namespace refero::app {

class ScreenColour : public QObject {
    Q_OBJECT

public:
    /// One for the whole window.
    static ScreenColour& now();

    /// A profile's bytes, of matrix or LUT kind; empty: sRGB. Throws Error(input) in words for what is no profile of an
    /// RGB display; the one before stays in use.
    void use(const QByteArray& icc, const QString& name);
    /// What is in use, for people: "sRGB (no profile is known)", "Desk left".
    QString name() const { return name_; }
    bool is_plain() const { return !transform_; }
    /// The picture for the screen; kept, so that drawing it again costs nothing.
    QImage shown(const QImage& srgb) const;

signals:
    void changed();

private:
    ScreenColour();
    std::shared_ptr<void> transform_;
    QByteArray icc_;
    QString name_;
    mutable QCache<qint64, QImage> kept_; ///< by the picture's key; cost in KiB
};

/// "manufacturer|model|serial number" of a screen.
QString identity_of(const QScreen* screen);
/// "never checked", "check due since 12 days": of the kit's monitor that is this screen; empty where it is not due, or
/// no monitor of the kit.
QString due_of(const QScreen* screen, const shoot::Kit& kit);
/// The profile of a screen and what it is called, in this order: the kit's, by the screen's identity; the X11 root
/// window's properties; the colour daemon's; none.
std::pair<QByteArray, QString> profile_of(const QScreen* screen, const shoot::Kit& kit);

} // namespace refero::app
