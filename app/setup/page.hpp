// What the six workspaces of a setup have in common: a picture, the figures that decide beside it, and the step's
// table or plot below.
#pragma once

#include <QPushButton>
#include <QSplitter>
#include <QVBoxLayout>
#include <QWidget>

#include "../widgets/facts.hpp"
#include "desk/desk.hpp"

namespace refero::app {

class Page : public QWidget {
    Q_OBJECT

public:
    explicit Page(Desk& desk, QWidget* parent = nullptr);
    /// Shows a setup; called again whenever it changed.
    virtual void show_setup(Id setup) = 0;
    /// The picture or other widget that flips and zooms; may be null.
    virtual class PictureView* picture() { return nullptr; }

protected:
    /// Arranges the page; takes ownership. `below` may be null.
    void arrange(QWidget* main, QWidget* below, int below_height = 250);
    QVBoxLayout* side() { return side_; }
    QPushButton* side_button(const QString& text, const QString& icon_name, const QString& tooltip,
                             bool primary = false);

    Desk& desk_;
    Id setup_ = 0;

private:
    QWidget* side_panel_;
    QVBoxLayout* side_;
};

/// A folder the user last wrote to, else their documents.
QString last_folder();
void remember_folder(const QString& folder);

} // namespace refero::app
