#include "reading_page.hpp"

#include <QFileDialog>

#include "../widgets/swatches.hpp"

namespace refero::app {

ReadingPage::ReadingPage(Session& session, QWidget* parent)
    : Page(session, parent), picture_(new PictureView), usable_(new Figure(tr("Patches that count"))), facts_(new Facts),
      table_(new PatchTable({tr("Red"), tr("Green"), tr("Blue"), tr("Noise, %"), tr("Clipped, %"), tr("Pixels")}, {4, 4, 4, 2, 1, 0})) {
    table_->setToolTip(tr("Scene-linear camera RGB, 1 = saturation, black subtracted, no balance"));
    side()->addWidget(usable_);
    side()->addWidget(facts_);
    side()->addStretch();
    save_ = side_button(tr("Save the reading \u2026"), "table", tr("Writes the reading as CGATS text for other programs"));
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString name = last_folder() + "/" + session_.title_of(setup_).replace(", ", "-").replace(' ', '-').toLower() + ".cgats";
        const QString file = QFileDialog::getSaveFileName(this, tr("Save the reading"), name, tr("CGATS text (*.cgats)"));
        if (!file.isEmpty()) session_.export_reading(setup_, file.toStdString());
    });
    picture_->keep_chart_in_view(true);
    connect(table_, &PatchTable::patch_chosen, picture_, &PictureView::select_patch);
    connect(picture_, &PictureView::patch_chosen, table_, &PatchTable::select_patch);
    arrange(picture_, table_);
}

void ReadingPage::show_setup(Id setup) {
    setup_ = setup;
    const SetupState& s = session_.at(setup);
    picture_->set_picture(s.picture, tr("Nothing is measured yet.\nThe chart has to be found first."));
    picture_->set_chart(s.shot ? &s.shot->definition : nullptr, s.shot ? std::optional(s.shot->placement.corners) : std::nullopt, false);
    save_->setEnabled(s.shot != nullptr);
    std::vector<PatchRow> rows;
    int usable = 0, clipped = 0;
    double brightest = 0, noise = 0;
    QString brightest_id;
    if (s.shot)
        for (const auto& p : s.shot->reading.patches) {
            const double relative = p.mean[1] > 0 ? 100 * p.sd[1] / p.mean[1] : NAN;
            QColor swatch(Qt::gray);
            if (s.reference)
                if (const auto xyz = s.reference->xyz.find(p.id); xyz != s.reference->xyz.end()) swatch = colour_of(xyz->second);
            rows.push_back({QString::fromStdString(p.id), swatch, {p.mean[0], p.mean[1], p.mean[2], relative, 100 * p.clipped, double(p.pixels)}});
            usable += p.usable();
            clipped += p.clipped > read::most_clipped;
            const double top = std::max({p.mean[0], p.mean[1], p.mean[2]});
            if (top > brightest) brightest = top, brightest_id = QString::fromStdString(p.id);
            if (s.balance && p.id == s.balance->white_patch) noise = relative;
        }
    table_->set(rows);
    if (!s.shot) {
        usable_->set("\u2013");
        facts_->set({});
        return;
    }
    usable_->set(tr("%1 of %2").arg(usable).arg(rows.size()), clipped ? tr("%1 clipped: expose less, or these patches are left out of the fit").arg(clipped) : tr("None is clipped."));
    facts_->set({{tr("Brightest"), tr("%1, %2 % of saturation").arg(brightest_id).arg(100 * brightest, 0, 'f', 0)},
                 {tr("Noise"), s.balance ? tr("%1 % at %2, green, one pixel").arg(noise, 0, 'f', 2).arg(QString::fromStdString(s.balance->white_patch)) : QString()},
                 {tr("Measured in"), s.shot->frame.cell == 2 ? tr("2 \u00d7 2 cells of raw, nothing interpolated") : tr("pixels, %1").arg(QString::fromStdString(s.shot->frame.encoding))}});
}

} // namespace refero::app
