#include "reading_page.hpp"

#include <QFileDialog>
#include <QLabel>
#include <cmath>

#include "inspect/inspect.hpp"

#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

ReadingPage::ReadingPage(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      picture_(new PictureView),
      usable_(new Figure(tr("Patches that count"))),
      facts_(new Facts),
      table_(new PatchTable({tr("Red"), tr("Green"), tr("Blue"), tr("Noise, %"), tr("Clipped, %"), tr("Pixels")},
                            {4, 4, 4, 2, 1, 0})) {
    table_->setToolTip(tr("Scene-linear camera RGB, 1 = saturation, black subtracted, no balance"));
    auto* top = side_row();
    top->addWidget(usable_);
    top->addWidget(facts_, 1);
    auto* actions = side_row();
    mapped_ = new QComboBox;
    mapped_->setObjectName("mapChoice");
    mapped_->addItems({tr("Light on the chart"), tr("Noise of the patches")});
    mapped_->setAccessibleName(tr("What the drawing of the chart shows"));
    map_ = new PatchMap;
    map_->setObjectName("patchMap");
    map_words_ = new FlowLabel;
    map_words_->setToolTip(
        tr("What camera and eye see differently is in it: a few hundredths of a stop from patch to patch are usual"));
    map_words_->setProperty("dim", true);
    auto* seen = new QWidget;
    auto* left = new QVBoxLayout(seen);
    left->setContentsMargins(0, 0, 0, 0);
    left->addWidget(picture_, 1);
    auto* light = new QHBoxLayout;
    auto* words = new QVBoxLayout;
    words->addWidget(mapped_);
    words->addWidget(map_words_, 1);
    map_->setMinimumSize(250, 150);
    light->addWidget(map_);
    light->addLayout(words, 1);
    left->addLayout(light);
    connect(mapped_, &QComboBox::currentIndexChanged, this, &ReadingPage::show_map);
    connect(map_, &PatchMap::patch_chosen, table_, &PatchTable::select_patch);
    connect(map_, &PatchMap::patch_chosen, picture_, &PictureView::select_patch);
    save_ = side_button(tr("Save the reading \u2026"), "table",
                        tr("Writes the reading as CGATS text for other programs"), false, actions);
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString name = last_folder() + "/" +
                             desk_.chains.title_of(setup_).replace(", ", "-").replace(' ', '-').toLower() + ".cgats";
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Save the reading"), name, tr("CGATS text (*.cgats)"));
        if (!file.isEmpty()) desk_.handovers.write_reading(setup_, file.toStdString());
    });
    curve_ = side_button(
        tr("Measure the tone curve \u2026"), {},
        tr("From the greys of all chart shots of this camera in this mode, after ISO 14524: shoot the chart at several "
           "exposures.\nWrites a 1D LUT that the mode then uses, and other programs read"),
        false, actions);
    actions->addStretch();
    curve_->setObjectName("measureCurve");
    connect(curve_, &QPushButton::clicked, this, [this] {
        const shoot::ModeRecord* mode = shoot::record(desk_.job.shoot().modes, desk_.chains.at(setup_).row.mode);
        if (!mode) return;
        const QString name =
            last_folder() + "/" + QString::fromStdString(mode->name).replace(' ', '-').toLower() + "-curve.cube";
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Measure the tone curve"), name, tr("1D LUT (*.cube)"));
        if (file.isEmpty()) return;
        remember_folder(QFileInfo(file).path());
        desk_.setups.measure_curve(setup_, file.toStdString());
    });
    picture_->keep_chart_in_view(true);
    connect(table_, &PatchTable::patch_chosen, picture_, &PictureView::select_patch);
    connect(picture_, &PictureView::patch_chosen, table_, &PatchTable::select_patch);
    connect(table_, &PatchTable::patch_chosen, map_, &PatchMap::select_patch);
    connect(picture_, &PictureView::patch_chosen, map_, &PatchMap::select_patch);
    arrange("reading", seen, table_);
}

void ReadingPage::show_map() {
    const Chain& s = desk_.chains.at(setup_);
    const bool any = s.shot && s.reference;
    for (QWidget* w : std::initializer_list<QWidget*>{mapped_, map_, map_words_}) w->setVisible(any);
    if (!any) {
        lit_.reset();
        return map_->clear();
    }
    const chart::Definition& d = s.shot->definition;
    std::vector<double> values(d.patches.size(), NAN);
    const auto& patches = s.shot->reading.patches;
    if (mapped_->currentIndex() == 0) {
        if (lit_ == s.shot) return; // it shows just that
        lit_ = s.shot;
        map_->set(d, values, 0.25, -0.25, 2, tr("stops"));
        desk_.setups.light_on_chart(setup_, [this, of = s.shot](const inspect::Explained& light) {
            if (lit_ == of && mapped_->currentIndex() == 0) show_light(*of, light);
        });
    } else {
        lit_.reset();
        const auto at = [&](const std::string& id) { return static_cast<std::size_t>(d.index_of(id)); };
        double worst = 0;
        for (const auto& p : patches)
            if (p.usable() && p.mean[1] > 0) {
                values[at(p.id)] = read::snr_db(p, 1);
                worst = std::max(worst, 100 * p.sd[1] / p.mean[1]);
            }
        map_->set(d, values, 50, 10, 0, tr("dB"));
        map_words_->setText(tr("Signal to noise of a green pixel, dB; darker is noisier. The noisiest varies by %1 %.")
                                .arg(worst, 0, 'f', 1));
    }
}

void ReadingPage::show_light(const operations::MeasuredShot& shot, const inspect::Explained& light) {
    const chart::Definition& d = shot.definition;
    std::vector<double> values(d.patches.size(), NAN);
    double low = INFINITY, high = -INFINITY;
    for (std::size_t i = 0; i < shot.reading.patches.size() && light.usable; ++i) {
        const int at = d.index_of(shot.reading.patches[i].id);
        if (at < 0) continue;
        values[static_cast<std::size_t>(at)] = light.light[i];
        if (!std::isfinite(light.light[i])) continue;
        low = std::min(low, light.light[i]);
        high = std::max(high, light.light[i]);
    }
    // A quarter of a stop is seen at a glance, more still has room.
    const double reach = std::max({0.25, high, -low});
    map_->set(d, values, reach, -reach, 2, tr("stops"));
    map_words_->setText(
        !light.usable
            ? tr("Too few patches tell how the light falls.")
            : tr("Stops over the middle; %1 between the darkest and the lightest patch.").arg(high - low, 0, 'f', 2));
}

void ReadingPage::show_setup(Id setup) {
    setup_ = setup;
    const Chain& s = desk_.chains.at(setup);
    picture_->set_picture(desk_.pictures.of(setup).picture,
                          tr("Nothing is measured yet.\nThe chart has to be found first."));
    picture_->set_chart(s.shot ? &s.shot->definition : nullptr,
                        s.shot ? std::optional(s.shot->placement.corners) : std::nullopt, false);
    save_->setEnabled(s.shot != nullptr);
    curve_->setVisible(s.shot && s.reference && !s.chart_frame.raw);
    std::vector<PatchRow> rows;
    int usable = 0, clipped = 0;
    double brightest = 0, noise = 0;
    QString brightest_id;
    if (s.shot)
        for (const auto& p : s.shot->reading.patches) {
            const double relative = p.mean[1] > 0 ? 100 * p.sd[1] / p.mean[1] : NAN;
            QColor swatch(Qt::gray);
            if (s.reference)
                if (const auto xyz = s.reference->xyz.find(p.id); xyz != s.reference->xyz.end())
                    swatch = colour_of(xyz->second);
            rows.push_back({QString::fromStdString(p.id),
                            swatch,
                            {p.mean[0], p.mean[1], p.mean[2], relative, 100 * p.clipped, double(p.pixels)}});
            usable += p.usable();
            clipped += p.clipped > read::most_clipped;
            const double top = std::max({p.mean[0], p.mean[1], p.mean[2]});
            if (top > brightest) {
                brightest = top;
                brightest_id = QString::fromStdString(p.id);
            }
            if (s.balance && p.id == s.balance->white_patch) noise = relative;
        }
    table_->set(rows);
    show_map();
    if (!s.shot) {
        usable_->set("\u2013");
        facts_->set({});
        return;
    }
    usable_->set(tr("%1 of %2").arg(usable).arg(rows.size()),
                 clipped ? tr("%1 clipped: expose less, or these patches are left out of the fit").arg(clipped)
                         : tr("None is clipped."));
    facts_->set({{tr("Brightest"), tr("%1, %2 % of saturation").arg(brightest_id).arg(100 * brightest, 0, 'f', 0)},
                 {tr("Noise"), s.balance ? tr("%1 % at %2, green, one pixel")
                                               .arg(noise, 0, 'f', 2)
                                               .arg(QString::fromStdString(s.balance->white_patch))
                                         : QString()},
                 {tr("Measured in"), s.shot->frame.cell == 2
                                         ? tr("2 \u00d7 2 cells of raw, nothing interpolated")
                                         : tr("pixels, %1").arg(QString::fromStdString(s.shot->frame.encoding))}});
}

} // namespace refero::app
