// Shared by the tests of the window and its parts.
#pragma once

#include <QApplication>
#include <QTest>
#include <functional>

#include "model/model.hpp"
#include "support.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

/// One change of a job or kit, of rows that a test writes by itself.
template<class Document>
std::optional<store::Ids> edit(Document& document, const std::string& what,
                               const std::function<void(shoot::Change&)>& fill) {
    shoot::Change change(what);
    fill(change);
    return document.change(change);
}

inline bool wait_for(const std::function<bool()>& done, int ms = 180000) { return QTest::qWaitFor(done, ms); }

/// All frames of a setup through its correction.
inline void develop_frames(Desk& desk, Id setup, apply::Format format, const std::string& space, const fs::path& folder,
                           Id second = 0) {
    desk.batches.develop({.setups = {setup},
                          .second = second,
                          .develop = {.format = format, .space = space},
                          .folder = folder,
                          .resume = false});
}

/// Presses at one place, moves in two steps, lets go at another.
inline void drag(QWidget* widget, const QPoint& from, const QPoint& by) {
    QTest::mousePress(widget, Qt::LeftButton, {}, from);
    QTest::mouseMove(widget, from + by / 2);
    QTest::mouseMove(widget, from + by);
    QTest::mouseRelease(widget, Qt::LeftButton, {}, from + by);
}

/// A picture of one grey, of which each pixel stands for `cell` full-size pixels.
inline Rendition grey_picture(int width, int height, int cell, int level) {
    Rendition r;
    QImage image(width, height, QImage::Format_RGB32);
    image.fill(QColor(level, level, level));
    r.levels = {image, image.scaled(width / 2, height / 2)};
    r.full_width = width * cell;
    r.full_height = height * cell;
    return r;
}

/// Keeps a picture of the window where REFERO_SCREENSHOTS names a folder; as large as REFERO_WINDOW says, "1920x1200".
inline void photograph(QWidget& window, const QString& name) {
    const QString folder = qEnvironmentVariable("REFERO_SCREENSHOTS");
    if (folder.isEmpty()) return;
    const QSize was = window.size();
    if (const QStringList size = qEnvironmentVariable("REFERO_WINDOW").split('x'); size.size() == 2)
        window.resize(size[0].toInt(), size[1].toInt());
    QTest::qWait(250);
    window.grab().save(folder + "/" + name + ".png");
    window.resize(was);
}

} // namespace refero::app
