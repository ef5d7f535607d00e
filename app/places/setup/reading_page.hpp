#pragma once

#include <QComboBox>

#include "page.hpp"
#include "ui/widgets/patch_map.hpp"
#include "ui/widgets/patch_table.hpp"
#include "ui/widgets/picture_view.hpp"

namespace refero::app {

/// The measured camera RGB of each patch, and the squares it was measured in.
class ReadingPage : public Page {
    Q_OBJECT

public:
    explicit ReadingPage(Desk& desk, QWidget* parent = nullptr);
    void show_setup(Id setup) override;
    PictureView* picture() override { return picture_; }

private:
    void show_map();
    void show_light(const operations::MeasuredShot& shot, const inspect::Explained& light);

    PictureView* picture_;
    Figure* usable_;
    Facts* facts_;
    PatchTable* table_;
    QComboBox* mapped_;
    PatchMap* map_;
    QLabel* map_words_;
    QPushButton *save_, *curve_;
    std::shared_ptr<const operations::MeasuredShot> lit_; ///< whose light is shown, or on its way
};

} // namespace refero::app
