// What the six workspaces of a setup have in common, evidence beside finding: at the left what is measured, drawn on
// its picture; at the right the figure that decides, why, the next action, and under them what proves it.
#pragma once

#include <QPushButton>
#include <QSplitter>
#include <QVBoxLayout>
#include <QWidget>

#include <QComboBox>

#include "model/model.hpp"
#include "ui/widgets/facts.hpp"

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
    /// Arranges the page, with side() over `proof` at the right; takes ownership. `name` keeps the widths.
    void arrange(const QString& name, QWidget* evidence, QWidget* proof);
    /// Figure, reason, next action and what stands with them, from the top.
    QVBoxLayout* side() { return side_; }
    /// A row of it, for things that stand side by side.
    QHBoxLayout* side_row();
    /// Of the screen, where colour is judged and its check is due; at the end of side(). To be refreshed.
    void add_due();
    void refresh_due();
    /// Into `row`, else below what is in side().
    QPushButton* side_button(const QString& text, const QString& icon_name, const QString& tooltip,
                             bool primary = false, QBoxLayout* row = nullptr);

    Desk& desk_;
    Id setup_ = 0;
    Id stretch_ = 0; ///< of the setup, whose chart shot is shown
    /// Another setup than before, or another stretch of it.
    bool shows_another(Id setup);

private:
    QWidget* side_panel_;
    QVBoxLayout* side_;
    QLabel* due_ = nullptr;
};

/// Into a list, after "none": corrected setups of the same camera under other lights, each with its id.
void offer_other_lights(QComboBox* list, const Chains& chains, Id setup);

/// Into a list: the setup's own correction, all renderings that hold, and each by its name; data as of
/// operations::batch_of.
void offer_renderings(QComboBox* list, const std::vector<operations::InForce>& all);

/// A folder the user last wrote to, else their documents.
QString last_folder();
void remember_folder(const QString& folder);

} // namespace refero::app
