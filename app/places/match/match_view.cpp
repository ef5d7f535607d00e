#include "places/match/match_view.hpp"

#include <Eigen/LU>
#include <QFileDialog>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QTabWidget>

#include "colour/rgb.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr int look_width = 1100, strips = 12;
constexpr double full_difference = 6; ///< CIEDE2000 that the difference picture shows white

QString statistics_words(const fit::Statistics& s) {
    return QObject::tr("mean %1, 95 % %2, most %3").arg(s.mean, 0, 'f', 2).arg(s.p95, 0, 'f', 2).arg(s.max, 0, 'f', 2);
}

QString way_words(match::Way way) {
    return way == match::Way::direct ? QObject::tr("direct") : QObject::tr("through the reference");
}

/// "Stills B, raw": the light is chosen already.
QString name_of(const shoot::Shoot& shoot, const Chain& c) {
    const QString mode = qt(shoot::name_in(shoot.modes, c.row.mode));
    return qt(shoot::name_in(shoot.cameras, c.row.camera)) + (mode.isEmpty() ? QString() : ", " + mode);
}

/// The frame that a picture of both stands for.
Rendition rendition(const apply::Picture& p) {
    frame::Frame of;
    of.full_width = p.width;
    of.full_height = p.height;
    return rendition_of(p, of);
}

colour::Vec3 code_of(const colour::Vec3& xyz) {
    static const colour::Mat3 to_rgb = colour::rgb_space("srgb").to_xyz_d50().inverse();
    return (to_rgb * xyz).cwiseMax(0).cwiseMin(1).unaryExpr([](double v) {
        return colour::encode(colour::Transfer::srgb, v);
    });
}

} // namespace

MatchView::MatchView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      lights_(new QComboBox),
      leads_(new QComboBox),
      others_(plain_table({{tr("Camera"), tr("Another camera, lens or mode under this light")},
                           {tr("By balance"), tr("Mean CIEDE2000 between both with no more than a balance")},
                           {tr("Matched"), tr("The same on patches held out of the match")},
                           {tr("State"), tr("Whether the match still holds")}},
                          tr("Cameras that follow the lead"))),
      ways_(plain_table({{tr("Way"), tr("Straight to the lead's rendering, or both through the reference")},
                         {tr("Model"), {}},
                         {tr("Held out"), tr("Mean CIEDE2000 on patches held out: this decides")},
                         {tr("Fitted"), tr("Mean CIEDE2000 on the patches that it saw: always too kind")}},
                        tr("Ways to match"))),
      seen_(new QTabBar),
      evidence_(new QStackedWidget),
      picture_(new PictureView),
      scope_(new MatchScope),
      region_button_(new QToolButton),
      scale_(new QLabel),
      left_out_(new Figure(tr("Mean CIEDE2000 between both, patches held out"))),
      words_(new FlowLabel),
      recipe_(new RecipeTable),
      patches_(new PatchTable({tr("\u0394E"), tr("L*"), tr("C*"), tr("h, \u00b0")}, {2, 2, 2, 1})) {
    patches_->setToolTip(tr("CIEDE2000, and the other minus the lead in CIELAB (D50): lightness, chroma, hue angle"));
    side()->addWidget(make_head());
    side()->addWidget(left_out_);
    words_->setObjectName("matchWords");
    side()->addWidget(words_);
    auto* actions = side_row();
    match_ = side_button(tr("Match"), {}, tr("Fits the other camera to the lead's rendering, both ways (Ctrl+Return)"),
                         true, actions);
    match_->setObjectName("matchButton");
    hand_over_ =
        side_button(tr("Hand over \u2026"), "export", tr("Writes the match for other programs"), false, actions);
    hand_over_->setObjectName("matchHandOver");
    auto* formats = new QMenu(this);
    for (const handover::Format& f : handover::formats())
        connect(formats->addAction(qt(f.title)), &QAction::triggered, this, [this, id = qt(f.id)] { hand_over(id); });
    hand_over_->setMenu(formats);
    all_ = side_button(tr("Match all"), "all", tr("Matches every camera under this light that has no match that holds"),
                       false, actions);
    actions->addStretch();
    connect(match_, &QPushButton::clicked, this, [this] { desk_.matches.match(lead_, other_); });
    connect(all_, &QPushButton::clicked, this, [this] { desk_.matches.match_all(lead_); });
    connect(&desk_.chains, &Chains::followed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&desk_.tasks, &Tasks::setup_touched, this, [this](Id setup) {
        if (isVisible() && setup == other_) show_pair();
    });
    arrange("match", make_evidence(), make_proof());
}

QWidget* MatchView::make_head() {
    auto* head = new QWidget;
    auto* column = new QVBoxLayout(head);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    const auto add = [&](const QString& name, QComboBox* box, const QString& tooltip) {
        auto* label = new QLabel(name);
        label->setBuddy(box);
        box->setToolTip(tooltip);
        box->setAccessibleName(QString(name).remove('&'));
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        row->addWidget(label);
        row->addWidget(box, 1);
    };
    add(tr("&Light"), lights_, tr("Cameras are matched under one light"));
    add(tr("L&ead"), leads_,
        tr("The camera whose rendering the others follow: by its correction, or, for a finished "
           "picture without one, as it is"));
    lights_->setObjectName("matchLight");
    leads_->setObjectName("matchLead");
    column->addLayout(row);
    others_->setObjectName("matchOthers");
    others_->setMaximumHeight(128);
    others_->horizontalHeader()->setStretchLastSection(false);
    others_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    column->addWidget(others_);
    connect(lights_, &QComboBox::activated, this, [this] {
        lead_ = other_ = 0;
        refresh();
    });
    connect(leads_, &QComboBox::activated, this, [this] {
        lead_ = leads_->currentData().toLongLong();
        other_ = 0;
        refresh();
    });
    connect(others_, &QTableWidget::currentCellChanged, this, [this](int at) {
        if (auto* item = others_->item(at, 0)) choose_other(item->data(Qt::UserRole).toLongLong());
    });
    return head;
}

QWidget* MatchView::make_evidence() {
    auto* seen = new QWidget;
    auto* column = new QVBoxLayout(seen);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* row = new QHBoxLayout;
    const std::pair<QString, QString> names[] = {
        {tr("Strips"), tr("Both pictures in alternate strips: colours that differ show edges")},
        {tr("Split"), tr("The lead left of the line, the other right of it; X flips")},
        {tr("Difference"), tr("CIEDE2000 of each place, noise smoothed; shifts between both show as differences")},
        {tr("Scopes"), tr("Patches of both, or a region, on one vectorscope and tone scale")}};
    for (const auto& [name, tooltip] : names) seen_->setTabToolTip(seen_->addTab(name), tooltip);
    seen_->setDrawBase(false);
    seen_->setUsesScrollButtons(false);
    seen_->setObjectName("matchSeen");
    seen_->setAccessibleName(tr("What the evidence shows"));
    scale_->setProperty("dim", true);
    region_button_->setText(tr("Region \u2026"));
    region_button_->setObjectName("matchRegion");
    region_button_->setProperty("flat", true);
    region_button_->setToolTip(tr("Compare a part of both pictures on the scopes: click two opposite corners "
                                  "(Shift+R). Once more: the chart's patches again"));
    region_button_->setShortcut(Qt::SHIFT | Qt::Key_R);
    row->addWidget(seen_);
    row->addWidget(region_button_);
    row->addStretch();
    row->addWidget(scale_);
    column->addLayout(row);
    evidence_->addWidget(picture_);
    evidence_->addWidget(scope_);
    column->addWidget(evidence_, 1);
    connect(seen_, &QTabBar::currentChanged, this, &MatchView::show_picture);
    connect(region_button_, &QToolButton::clicked, this, [this] {
        if (region_) {
            region_.reset();
            return measure_region();
        }
        if (static_cast<Seen>(seen_->currentIndex()) == Seen::scopes) show_as(Seen::strips);
        picture_->pick_region();
    });
    connect(picture_, &PictureView::picked, this, [this](const std::vector<chart::Point>& at) {
        region_ = std::array{at[0], at[1]};
        measure_region();
        if (region_) show_as(Seen::scopes);
    });
    return seen;
}

QWidget* MatchView::make_proof() {
    auto* proof = new QTabWidget;
    proof->setDocumentMode(true);
    proof->setObjectName("matchProof");
    proof->addTab(recipe_, tr("By hand"));
    proof->addTab(patches_, tr("Patches"));
    proof->addTab(ways_, tr("Ways"));
    connect(patches_, &PatchTable::patch_chosen, scope_, &MatchScope::select_patch);
    connect(scope_, &MatchScope::patch_chosen, patches_, &PatchTable::select_patch);
    return proof;
}

void MatchView::show_setup(Id lead) {
    if (lead && desk_.chains.has(lead)) lead_ = lead;
    if (!desk_.chains.has(lead_)) lead_ = other_ = 0;
    fill_lights();
    fill_leads();
    fill_others();
    show_pair();
}

// Lights under which two cameras were read; the lead's own first.
void MatchView::fill_lights() {
    const QSignalBlocker quiet(lights_);
    const Id was = lead_ ? desk_.chains.at(lead_).row.light : light();
    lights_->clear();
    for (const shoot::LightRecord& l : desk_.job.shoot().lights)
        if (desk_.matches.under(l.id).size() > 1) lights_->addItem(qt(l.name), qlonglong(l.id));
    if (lead_ && lights_->findData(qlonglong(was)) < 0) lead_ = other_ = 0;
    int at = lights_->findData(qlonglong(was));
    for (int i = 0; at < 0 && i < lights_->count(); ++i) // one under which somebody can lead
        for (const Id id : desk_.matches.under(lights_->itemData(i).toLongLong()))
            if (desk_.chains.at(id).correction) at = i;
    lights_->setCurrentIndex(std::max(0, at));
}

void MatchView::fill_leads() {
    const QSignalBlocker quiet(leads_);
    leads_->clear();
    for (const Id id : desk_.matches.under(light())) {
        const Chain& c = desk_.chains.at(id);
        if (c.correction || !c.shot->frame.is_raw) leads_->addItem(name_of(desk_.job.shoot(), c), qlonglong(id));
    }
    const int at = leads_->findData(qlonglong(lead_));
    if (at < 0 && lead_) other_ = lead_; // it cannot lead: it follows
    leads_->setCurrentIndex(std::max(0, at));
    lead_ = leads_->currentData().toLongLong();
}

void MatchView::fill_others() {
    const QSignalBlocker quiet(others_);
    std::vector<Id> all = desk_.matches.under(light());
    std::erase(all, lead_);
    others_->setRowCount(static_cast<int>(all.size()));
    int chosen = 0;
    for (int i = 0; i < static_cast<int>(all.size()); ++i) {
        const Id id = all[static_cast<std::size_t>(i)];
        const Chain& c = desk_.chains.at(id);
        const auto kept = desk_.matches.kept(lead_, id);
        const QString obstacle = kept ? QString() : desk_.matches.obstacle(lead_, id);
        const QString texts[] = {name_of(desk_.job.shoot(), c),
                                 kept ? QString::number(kept->before.mean, 'f', 2) : QString::fromUtf8("\u2013"),
                                 kept ? QString::number(kept->cross_validated.mean, 'f', 2)
                                      : QString::fromUtf8("\u2013"),
                                 desk_.tasks.busy(Doing::matching, id) ? tr("matching")
                                 : !kept               ? (obstacle.isEmpty() ? tr("to match") : tr("cannot be matched"))
                                 : kept->stale.empty() ? tr("holds")
                                                       : tr("stale")};
        for (int k = 0; k < 4; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setData(Qt::UserRole, qlonglong(id));
            if (k == 3) item->setToolTip(kept ? qt(kept->stale) : obstacle);
            others_->setItem(i, k, item);
        }
        if (id == other_) chosen = i;
    }
    others_->setCurrentCell(all.empty() ? -1 : chosen, 0);
    other_ = all.empty() ? 0 : all[static_cast<std::size_t>(chosen)];
}

void MatchView::choose_other(Id other) {
    other_ = other;
    for (int i = 0; i < others_->rowCount(); ++i)
        if (others_->item(i, 0)->data(Qt::UserRole).toLongLong() == other && others_->currentRow() != i) {
            const QSignalBlocker quiet(others_);
            others_->setCurrentCell(i, 0);
        }
    show_pair();
}

void MatchView::show_pair() {
    const bool any = desk_.chains.has(lead_) && desk_.chains.has(other_);
    for (QWidget* w : std::initializer_list<QWidget*>{match_, hand_over_, all_}) w->setEnabled(any);
    if (!any) {
        left_out_->set("\u2013", desk_.job.is_open()
                                     ? tr("Two cameras are matched by a chart that both showed under one light. Shoot "
                                          "it with both, and fit the one that leads.")
                                     : tr("Open a job first."));
        words_->clear();
        recipe_->set(nullptr);
        patches_->set({});
        scope_->set({});
        ways_->setRowCount(0);
        both_.reset();
        region_.reset();
        measure_region();
        looked_at_.clear();
        picture_->set_picture({}, tr("No two cameras have read a chart under one light yet"));
        picture_->set_after({});
        return;
    }
    const auto match = desk_.matches.kept(lead_, other_);
    const Chain &lead = desk_.chains.at(lead_), &other = desk_.chains.at(other_);
    show_figures(lead, other, match);
    show_patches(lead, other, match);
    look();
}

void MatchView::show_figures(const Chain& lead, const Chain& other, const std::optional<operations::KeptMatch>& match) {
    const bool busy = desk_.tasks.busy(Doing::matching, other_);
    const QString obstacle = desk_.matches.obstacle(lead_, other_);
    match_->setEnabled(!busy && obstacle.isEmpty());
    match_->setText(busy ? tr("Matching \u2026") : match ? tr("Match again") : tr("Match"));
    match_->setVisible(!match || !match->stale.empty() || busy);
    hand_over_->setEnabled(match.has_value());
    ways_->setRowCount(0);
    recipe_->set(nullptr);
    if (!match) {
        left_out_->set("\u2013", obstacle.isEmpty()
                                     ? tr("%1 has no match to %2 yet.").arg(qt(other.title), qt(lead.title))
                                     : obstacle);
        words_->clear();
        return;
    }
    left_out_->set(QString::number(match->cross_validated.mean, 'f', 2),
                   match->stale.empty()
                       ? tr("Evidence: each patch was predicted without being seen. By balance alone: %1.")
                             .arg(match->before.mean, 0, 'f', 2)
                       : tr("Stale: %1. Match again.").arg(qt(match->stale)));
    QString words = tr("Matched %1, %2: %3. Expect some %4 on colours that the chart lacks: most are stronger.")
                        .arg(way_words(match->way), qt(fit::name_of(match->correction->model)),
                             statistics_words(match->cross_validated))
                        .arg(match->correction->unseen.mean, 0, 'f', 1);
    for (const match::Candidate& c : match->candidates)
        if (c.way != match->way) {
            words +=
                " " + tr("The other way, %1, leaves %2.").arg(way_words(c.way)).arg(c.cross_validated.mean, 0, 'f', 2);
            break;
        }
    if (!match->correction->look.curve.empty())
        words += " " + tr("The tone curve of the lead's picture goes with it, as the curve of a look.");
    if (lead.nominal() || other.nominal())
        words +=
            " " + tr("Both ways compare the cameras with each other: nominal values of the chart matter little here.");
    words_->setText(words);
    for (const match::Candidate& c : match->candidates) {
        const int at = ways_->rowCount();
        ways_->insertRow(at);
        const QString texts[] = {way_words(c.way), qt(fit::name_of(c.model)),
                                 QString::number(c.cross_validated.mean, 'f', 2), QString::number(c.fit.mean, 'f', 2)};
        for (int k = 0; k < 4; ++k) ways_->setItem(at, k, new QTableWidgetItem(texts[k]));
    }
    show_recipe(*match);
}

void MatchView::show_recipe(const operations::KeptMatch& match) {
    const QString wanted = QString("%1|%2|%3|%4").arg(lead_).arg(other_).arg(match.row).arg(qt(match.stale));
    if (wanted == recipe_of_ && by_hand_) return recipe_->set(by_hand_.get());
    recipe_of_ = wanted;
    by_hand_.reset();
    desk_.matches.by_hand(lead_, other_, [this, wanted](std::shared_ptr<const match::Recipe> recipe) {
        if (wanted != recipe_of_) return;
        by_hand_ = std::move(recipe);
        recipe_->set(by_hand_.get());
    });
}

void MatchView::show_patches(const Chain& lead, const Chain& other, const std::optional<operations::KeptMatch>& match) {
    std::vector<PairedPatch> pairs;
    std::vector<PatchRow> rows;
    try {
        const operations::Side leader = operations::side_of(*lead.shot), second = operations::side_of(*other.shot);
        const chart::Reference target = operations::shown_by(leader, lead.correction.get());
        const balance::Balance balance =
            match ? match->correction->balance : other.balance.value_or(balance::Balance{});
        const fit::Correction alone =
            fit::balance_alone(balance, other.light, operations::own_colours_of(second)(balance));
        const chart::Reference before = match::rendering_of(alone, second.reading);
        const chart::Reference after = match ? match::rendering_of(*match->correction, second.reading) : before;
        for (const match::Delivered::Patch& p : match::verify(target, after).patches) {
            const int at = other.shot->definition.index_of(p.id);
            const auto& xyz = target.xyz.at(p.id);
            rows.push_back({qt(p.id), colour_of(xyz), {p.delta_e_2000, p.lightness, p.chroma, p.hue_deg}});
            pairs.push_back(
                {qt(p.id), at >= 0 && other.shot->definition.patches[static_cast<std::size_t>(at)].role == "neutral",
                 code_of(xyz), code_of(before.xyz.at(p.id)), code_of(after.xyz.at(p.id)), match.has_value()});
        }
    } catch (const Error&) { // said already why they cannot be compared
    }
    patches_->set(rows);
    scope_->set(pairs);
}

void MatchView::look() {
    const auto match = desk_.matches.kept(lead_, other_);
    const Chain &lead = desk_.chains.at(lead_), &other = desk_.chains.at(other_);
    const QString wanted = QString("%1|%2|%3|%4|%5|%6")
                               .arg(lead_)
                               .arg(other_)
                               .arg(lead.reading_id)
                               .arg(other.reading_id)
                               .arg(lead.correction_id)
                               .arg(match ? match->row : 0);
    if (wanted == looked_at_) return show_picture();
    // A region is of these two pictures; it stays where only the match is another.
    if (!looked_at_.startsWith(QString("%1|%2|").arg(lead_).arg(other_))) region_.reset();
    looked_at_ = wanted;
    both_.reset();
    measure_region();
    show_picture();
    desk_.matches.look(lead_, other_, look_width, [this, wanted](std::shared_ptr<const operations::Beside> both) {
        if (wanted != looked_at_) return;
        both_ = std::move(both);
        measure_region();
        show_picture();
    });
}

void MatchView::measure_region() {
    std::optional<operations::PartOfBoth> part;
    if (region_ && both_) try {
            part = operations::part_of(*both_, (*region_)[0], (*region_)[1]);
            region_words_ = tr("lead pale, other dark; their means: \u0394E %1").arg(part->delta_e_2000, 0, 'f', 1);
        } catch (const Error& problem) {
            desk_.notices.tell(QString::fromUtf8(problem.what()));
            region_.reset();
        }
    region_button_->setText(region_ ? tr("Patches again") : tr("Region \u2026"));
    scope_->set_region(part);
    picture_->set_region(region_ ? std::optional(QRectF(QPointF((*region_)[0].x(), (*region_)[0].y()),
                                                        QPointF((*region_)[1].x(), (*region_)[1].y()))
                                                     .normalized())
                                 : std::nullopt);
    if (static_cast<Seen>(seen_->currentIndex()) == Seen::scopes) show_picture();
}

void MatchView::go_on() {
    if (match_->isVisible() && match_->isEnabled()) match_->click();
}

void MatchView::show_as(Seen seen) { seen_->setCurrentIndex(static_cast<int>(seen)); }

void MatchView::show_picture() {
    const auto seen = static_cast<Seen>(seen_->currentIndex());
    evidence_->setCurrentWidget(seen == Seen::scopes ? static_cast<QWidget*>(scope_) : picture_);
    scale_->clear();
    if (seen == Seen::scopes) return scale_->setText(region_ ? region_words_ : tr("rings: the lead, discs: the other"));
    if (!both_) {
        picture_->set_after({});
        return picture_->set_picture({}, tr("Laying both pictures over each other \u2026"));
    }
    const bool matched = desk_.matches.kept(lead_, other_).has_value();
    if (seen == Seen::split) {
        picture_->set_picture(rendition(both_->lead));
        picture_->set_names(qt(desk_.chains.at(lead_).title),
                            qt(desk_.chains.at(other_).title) + (matched ? tr(", matched") : tr(", by balance")));
        picture_->set_after(rendition(both_->other));
        return;
    }
    picture_->set_after({});
    picture_->setToolTip(both_->features
                             ? tr("Laid over each other by the chart's plane, and off it by %1 features "
                                  "of the scene")
                                   .arg(both_->features)
                             : tr("Laid over each other by the chart's plane: what lies off it is shifted"));
    if (seen == Seen::strips) {
        picture_->set_picture(rendition(operations::in_strips(*both_, strips)));
        scale_->setText(matched ? tr("odd strips: the lead, even: the other as matched")
                                : tr("odd strips: the lead, even: the other by its balance alone"));
    } else {
        picture_->set_picture(rendition(operations::as_difference(*both_, full_difference)));
        scale_->setText(
            tr("CIEDE2000: black 0, white %1 and more; mean %2").arg(full_difference).arg(both_->mean, 0, 'f', 1));
    }
}

void MatchView::hand_over(const QString& format) {
    const auto match = desk_.matches.kept(lead_, other_);
    if (!match) return;
    const handover::Format& f = handover::format_named(format.toStdString());
    QString name = desk_.chains.title_of(other_) + " to " +
                   qt(shoot::name_in(desk_.job.shoot().cameras, desk_.chains.at(lead_).row.camera));
    name = name.replace(", ", " ").simplified().replace(' ', '-').toLower();
    for (const QChar c : QString("/\\:*?\"<>|")) name.remove(c);
    const QString about = last_folder() + "/" + name + qt(f.extension);
    const QString file = f.folder ? QFileDialog::getExistingDirectory(this, tr("Folder for the match"), last_folder())
                                  : QFileDialog::getSaveFileName(this, tr("Hand over the match"), about,
                                                                 tr("%1 (*%2)").arg(qt(f.title), qt(f.extension)));
    if (file.isEmpty()) return;
    remember_folder(QFileInfo(file).path());
    desk_.handovers.write_match(*match, f.id, {},
                                f.folder ? file.toStdString() + "/" + name.toStdString() : file.toStdString(),
                                f.folder ? Handovers::Consent::ask : Handovers::Consent::given);
}

} // namespace refero::app
