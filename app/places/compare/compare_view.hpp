// Two to eight pictures beside each other with one zoom: renderings, kept versions, frames of several setups.
#pragma once

#include <QListWidget>
#include <QStackedWidget>
#include <QTabBar>
#include <QTableWidget>

#include "model/pictures/compared.hpp"
#include "places/setup/page.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

class CompareView : public Page {
    Q_OBJECT

public:
    enum class Seen { grid, flip, split, difference };
    static constexpr std::size_t most = 8;

    explicit CompareView(Desk& desk, QWidget* parent = nullptr);
    /// Offers a setup's pictures (0: the chart shots of all) and, where nothing is chosen yet, begins with its chart
    /// shot before and after.
    void show_setup(Id setup) override;
    PictureView* picture() override;
    /// Of all that are offered; more than eight are not taken.
    void choose(const std::vector<Compared>& pictures);
    const std::vector<Compared>& chosen() const { return chosen_; }
    void show_as(Seen seen) { seen_->setCurrentIndex(static_cast<int>(seen)); }
    /// The next picture where one at a time is seen, else before and after.
    void flip();

protected:
    void showEvent(QShowEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    struct Cell {
        QWidget* widget = nullptr;
        PictureView* picture = nullptr;
        QLabel* caption = nullptr;
    };
    struct Made {
        Rendition picture;
        PictureDifference difference;
        bool asked = false, differs_asked = false;
    };

    QWidget* make_evidence();
    QWidget* make_choice();
    Cell make_cell();
    QString made_of() const;
    void fill_setups();
    void fill_offer();
    void fill_chosen();
    void bring();
    void bring_differences();
    void arrange_cells();
    void show_pictures();
    void tell(std::size_t cell, const std::optional<QPointF>& share);
    void follow(PictureView* moved);
    Made& made(const Compared& one);
    void let_go_of_others();
    std::vector<std::size_t> shown() const; ///< indices of chosen pictures that are seen now

    ComparedPictures pictures_;
    std::vector<Compared> chosen_, offered_;
    std::vector<std::pair<Compared, Made>> made_;
    std::size_t flipped_ = 0;
    QString made_for_; ///< what the pictures were made of: they are made anew when it changes ...
    int round_ = 0;    ///< ... and what was asked for before is of no use
    QTabBar* seen_;
    QLabel *scale_, *empty_;
    QWidget* grid_;
    std::vector<Cell> cells_;
    QTableWidget* table_;
    QComboBox* setups_;
    QListWidget* offer_;
    QPushButton* frames_;
    std::optional<PictureView::Place> place_; ///< that all pictures are zoomed to; none: each whole
    bool following_ = false;
};

} // namespace refero::app
