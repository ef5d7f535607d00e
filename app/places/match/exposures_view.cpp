#include "places/match/exposures_view.hpp"

#include <QSignalBlocker>

#include "shoot/records.hpp"
#include "ui/widgets/flow_label.hpp"
#include "ui/widgets/plain_table.hpp"

namespace refero::app {

namespace {

enum Column { file, shutter, stops, noise, drift, clipped, usable, columns };

/// "-3.0", with a minus sign as wide as the plus.
QString stops_words(double v, int digits) {
    if (std::abs(v) < 0.5 * std::pow(10, -digits)) return "0";
    return (v < 0 ? QString::fromUtf8("\u2212") : QString("+")) + QString::number(std::abs(v), 'f', digits);
}

QString shutter_words(const shoot::FrameRecord& f) {
    QStringList parts;
    if (f.exposure_s > 0)
        parts << (f.exposure_s < 0.3 ? QObject::tr("1/%1 s").arg(qRound(1 / f.exposure_s))
                                     : QObject::tr("%1 s").arg(f.exposure_s, 0, 'g', 2));
    if (f.f_number > 0) parts << QString("f/%1").arg(f.f_number);
    if (f.iso > 0) parts << QObject::tr("ISO %1").arg(f.iso);
    return parts.join("  ");
}

} // namespace

ExposuresView::ExposuresView(Desk& desk, QWidget* parent)
    : Page(desk, parent),
      setups_(new QComboBox),
      key_(new QComboBox),
      plot_(new ExposurePlot),
      figure_(new Figure(tr("Safe, in stops against the key exposure"))),
      words_(new FlowLabel),
      table_(plain_table({{tr("Frame"), tr("Of this setup; choose those that show the chart at several exposures")},
                          {tr("Shutter"), tr("As the file tells it")},
                          {tr("Stops"), tr("Measured on the greys, against the key exposure")},
                          {tr("dB"), tr("The grey nearest 20 % over the noise of one pixel")},
                          {tr("Drift"), tr("Of the greys after levelling, in a*b*, and where to")},
                          {tr("Clipped"), tr("Patches that are")},
                          {tr("Usable"), tr("By the limits of the kit")}},
                         tr("Frames of this setup"))) {
    auto* row = side_row();
    const auto add = [&](const QString& name, QComboBox* box, const QString& tooltip, const char* object) {
        auto* label = new QLabel(name);
        label->setBuddy(box);
        box->setToolTip(tooltip);
        box->setAccessibleName(QString(name).remove('&'));
        box->setObjectName(object);
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        row->addWidget(label);
        row->addWidget(box, 1);
    };
    add(tr("&Setup"), setups_, tr("One camera in one mode, under one light"), "exposuresSetup");
    add(tr("&Key"), key_, tr("The exposure that the others are told against"), "exposuresKey");
    side()->addWidget(figure_);
    words_->setObjectName("exposuresWords");
    side()->addWidget(words_);
    auto* actions = side_row();
    compare_ =
        side_button(tr("Compare exposures"), {},
                    tr("Measures the chosen frames (Ctrl+click for several) against the key exposure"), true, actions);
    compare_->setObjectName("compareExposures");
    keep_ =
        side_button({}, {}, tr("So that what is blown in this mode is told as clipped from now on"), false, actions);
    keep_->setObjectName("keepClipCode");
    actions->addStretch();
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->setObjectName("exposuresTable");
    connect(setups_, &QComboBox::activated, this, [this] { show_setup(setups_->currentData().toLongLong()); });
    connect(compare_, &QPushButton::clicked, this, &ExposuresView::compare);
    connect(keep_, &QPushButton::clicked, this, [this] {
        if (!seen_ || !seen_->series.clip_code || !desk_.chains.has(setup_)) return;
        desk_.matches.keep_clip_code(desk_.chains.at(setup_).row.mode, *seen_->series.clip_code);
        tell();
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, &ExposuresView::tell);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int at) {
        int marked = -1;
        for (std::size_t i = 0; seen_ && at >= 0 && i < seen_->of.size(); ++i)
            if (asked_[seen_->of[i]] == frames_[static_cast<std::size_t>(at)]) marked = static_cast<int>(i);
        plot_->mark(marked);
    });
    connect(plot_, &ExposurePlot::exposure_chosen, this, [this](int exposure) {
        const Id frame = asked_[seen_->of[static_cast<std::size_t>(exposure)]];
        const auto at = std::find(frames_.begin(), frames_.end(), frame);
        if (at != frames_.end())
            table_->setCurrentCell(static_cast<int>(at - frames_.begin()), 0, QItemSelectionModel::NoUpdate);
    });
    connect(&desk_.chains, &Chains::followed, this, [this] {
        if (isVisible()) show_setup(0);
    });
    connect(&desk_.tasks, &Tasks::setup_touched, this, [this](Id setup) {
        if (setup == setup_) tell(); // it began, ended, failed or was cancelled
    });
    auto* evidence = new QWidget;
    auto* column = new QVBoxLayout(evidence);
    column->setContentsMargins(0, 6, 0, 0);
    column->addWidget(plot_, 1);
    arrange("exposures", evidence, table_);
}

void ExposuresView::show_setup(Id setup) {
    const Id before = setup_;
    if (setup && desk_.chains.has(setup)) setup_ = setup;
    if (!desk_.chains.has(setup_)) setup_ = 0;
    fill_setups();
    if (setup_ != before) {
        seen_.reset();
        asked_.clear();
    }
    fill_frames();
    fill_series();
    tell();
}

void ExposuresView::fill_setups() {
    const QSignalBlocker quiet(setups_);
    setups_->clear();
    for (const Id id : desk_.chains.ids())
        if (const Chain& c = desk_.chains.at(id); c.shot && !c.balance_only())
            setups_->addItem(qt(c.title), qlonglong(id));
    const int at = setups_->findData(qlonglong(setup_));
    setups_->setCurrentIndex(std::max(0, at));
    setup_ = setups_->currentData().toLongLong();
}

void ExposuresView::fill_frames() {
    const std::vector<Id> had = chosen();
    const QSignalBlocker quiet(table_), quiet_key(key_);
    const QVariant was = key_->currentData();
    frames_.clear();
    key_->clear();
    if (setup_) {
        const Chain& c = desk_.chains.at(setup_);
        for (const shoot::ChartShotRecord& s : desk_.job.shoot().chart_shots)
            if (s.setup == setup_) frames_.push_back(s.frame);
        for (const Id id : c.frames)
            if (std::find(frames_.begin(), frames_.end(), id) == frames_.end()) frames_.push_back(id);
    }
    // What is compared stands in the order of its exposure.
    std::map<Id, double> told;
    for (std::size_t i = 0; seen_ && i < seen_->of.size(); ++i)
        told[asked_[seen_->of[i]]] = seen_->series.frames[i].stops;
    std::stable_sort(frames_.begin(), frames_.end(), [&](Id a, Id b) {
        const auto of_a = told.find(a), of_b = told.find(b);
        return of_a != told.end() && (of_b == told.end() || of_a->second < of_b->second);
    });
    table_->setRowCount(static_cast<int>(frames_.size()));
    table_->clearSelection();
    for (int i = 0; i < table_->rowCount(); ++i) {
        const shoot::FrameRecord* f = shoot::record(desk_.job.shoot().frames, frames_[static_cast<std::size_t>(i)]);
        const QString name = f ? qt(fs::path(f->path).filename().string()) : QString();
        for (int k = 0; k < columns; ++k) table_->setItem(i, k, new QTableWidgetItem);
        table_->item(i, file)->setText(name);
        table_->item(i, shutter)->setText(f ? shutter_words(*f) : QString());
        key_->addItem(name, qlonglong(frames_[static_cast<std::size_t>(i)]));
        const Id id = frames_[static_cast<std::size_t>(i)];
        if (std::find(had.begin(), had.end(), id) != had.end())
            for (int k = 0; k < columns; ++k) table_->item(i, k)->setSelected(true);
    }
    // The chart shot that was there before the others.
    key_->setCurrentIndex(std::max(0, key_->findData(was)));
}

std::vector<Id> ExposuresView::chosen() const {
    std::vector<Id> all;
    for (const QModelIndex& row : table_->selectionModel()->selectedRows())
        if (row.row() < std::ssize(frames_)) all.push_back(frames_[static_cast<std::size_t>(row.row())]);
    return all;
}

void ExposuresView::compare() {
    std::vector<Id> frames = chosen();
    const Id key = key_->currentData().toLongLong();
    if (key && std::find(frames.begin(), frames.end(), key) == frames.end()) frames.push_back(key);
    if (frames.size() < 2) return;
    desk_.matches.exposures(setup_, frames, key, [this, frames, of = setup_](const auto& seen) {
        if (of != setup_) return;
        asked_ = frames;
        seen_ = seen;
        fill_frames();
        fill_series();
        tell();
    });
    tell();
}

void ExposuresView::fill_series() {
    plot_->set(seen_ ? &seen_->series : nullptr,
               operations::limits_of(desk_.job.shoot().brief()).at("series noise").caution);
    if (!seen_) return;
    const auto row_of = [&](std::size_t i) {
        return static_cast<int>(std::find(frames_.begin(), frames_.end(), asked_[i]) - frames_.begin());
    };
    for (std::size_t i = 0; i < seen_->of.size(); ++i) {
        const int at = row_of(seen_->of[i]);
        if (at >= table_->rowCount()) continue;
        const match::Exposure& e = seen_->series.frames[i];
        table_->item(at, stops)->setText(stops_words(e.stops, 2));
        table_->item(at, noise)->setText(QString::number(e.snr_db, 'f', 0));
        const double by = std::hypot(e.grey_delta_a, e.grey_delta_b);
        table_->item(at, drift)->setText(QString::number(by, 'f', 1) +
                                         (e.direction.empty() ? QString() : " " + qt(e.direction)));
        QStringList ids;
        for (const std::string& id : e.clipped) ids << qt(id);
        table_->item(at, clipped)->setText(ids.isEmpty() ? QString() : QString::number(ids.size()));
        table_->item(at, clipped)->setToolTip(ids.join(", "));
        table_->item(at, usable)->setText(e.usable ? tr("yes") : tr("no: %1").arg(qt(e.why)));
    }
    for (const auto& [i, why] : seen_->unseen)
        if (const int at = row_of(i); at < table_->rowCount()) {
            table_->item(at, usable)->setText(tr("no chart read"));
            table_->item(at, usable)->setToolTip(qt(why));
        }
}

void ExposuresView::tell() {
    const bool busy = setup_ && desk_.tasks.busy(Doing::looking, setup_);
    const Id key = key_->currentData().toLongLong();
    const std::vector<Id> frames = chosen();
    const auto others = std::count_if(frames.begin(), frames.end(), [&](Id f) { return f != key; });
    compare_->setEnabled(setup_ && !busy && others > 0);
    const auto code = seen_ ? seen_->series.clip_code : std::nullopt;
    keep_->setVisible(code.has_value());
    if (code) keep_->setText(tr("Keep %1 % as this mode's end").arg(100 * *code, 0, 'f', 1));
    if (!seen_) {
        figure_->set(QString::fromUtf8("\u2013"),
                     !desk_.job.is_open() ? tr("Open a job first.")
                     : !setup_            ? tr("No chart is read yet.")
                     : frames_.size() < 2
                         ? tr("Shoot the chart in this mode from about four stops under to four over, in steps of "
                              "one, and take the frames in.")
                         : tr("Choose the frames that show the chart at other exposures, then compare."));
        words_->clear();
        return;
    }
    const auto& series = seen_->series;
    const match::Exposure *under = nullptr, *over = nullptr; // the first on each side that is not usable
    for (const match::Exposure& e : series.frames) {
        if (e.usable) continue;
        if (e.stops < 0 && (!under || e.stops > under->stops)) under = &e;
        if (e.stops > 0 && (!over || e.stops < over->stops)) over = &e;
    }
    figure_->set(series.usable_stops
                     ? tr("%1 to %2")
                           .arg(stops_words(series.usable_stops->first, 1), stops_words(series.usable_stops->second, 1))
                     : tr("none"),
                 series.usable_stops ? tr("Between these every exposure that was compared is usable.")
                                     : tr("The key exposure itself is not usable."));
    QString words;
    if (under) words += tr("Under, at %1 stops: %2.").arg(stops_words(under->stops, 1), qt(under->why));
    else words += tr("Nothing under the key that was compared is spoilt.");
    words += " ";
    if (over) words += tr("Over, at %1 stops: %2.").arg(stops_words(over->stops, 1), qt(over->why));
    else words += tr("Nothing over it is spoilt.");
    if (code)
        words += " " + tr("What should be brighter comes out alike: this recording ends at %1 % of its codes.")
                           .arg(100 * *code, 0, 'f', 1);
    if (!seen_->unseen.empty())
        words +=
            " " + tr("%n frame(s) show no chart that can be read.", nullptr, static_cast<int>(seen_->unseen.size()));
    words_->setText(words);
}

} // namespace refero::app
