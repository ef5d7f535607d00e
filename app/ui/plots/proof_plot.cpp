#include "proof_plot.hpp"

#include "ui/theme.hpp"

namespace refero::app {

ProofPlot::ProofPlot(QWidget* parent)
    : Plot(parent),
      bars_(new QCPBars(xAxis, yAxis)),
      chosen_(new QCPBars(xAxis, yAxis)),
      fitted_(new QCPItemStraightLine(this)),
      left_out_(new QCPItemStraightLine(this)),
      fitted_words_(new QCPItemText(this)),
      left_out_words_(new QCPItemText(this)) {
    setAccessibleName(tr("Differences by patch"));
    yAxis->setLabel(tr("CIEDE2000"));
    xAxis->setTickLabelRotation(-90);
    for (QCPItemText* words : {fitted_words_, left_out_words_}) {
        words->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
        words->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
        words->position->setTypeY(QCPItemPosition::ptPlotCoords);
        words->setPadding(QMargins(5, 1, 5, 1));
    }
    connect(this, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
        const int i = qRound(xAxis->pixelToCoord(e->position().x()));
        if (i >= 0 && i < ids_.size()) {
            select_patch(ids_[i]);
            emit patch_chosen(ids_[i]);
        }
    });
}

void ProofPlot::set(const prove::Proof* proof, const fit::Statistics& cross_validated, const QString& basis) {
    dress();
    const Theme& t = Theme::now();
    bars_->setPen(Qt::NoPen);
    bars_->setBrush(t.dim);
    bars_->setWidth(0.62);
    chosen_->setPen(QPen(t.text, 2));
    chosen_->setBrush(t.text);
    chosen_->setWidth(0.62);
    fitted_->setPen(QPen(t.text, 1.5));
    left_out_->setPen(QPen(t.text, 1.5, Qt::DashLine));
    for (QCPItemText* words : {fitted_words_, left_out_words_}) {
        words->setFont(small_font());
        words->setColor(t.text);
        words->setBrush(t.panel);
    }
    QVector<double> x;
    values_.clear();
    ids_.clear();
    auto ticks = QSharedPointer<QCPAxisTickerText>::create();
    if (proof) {
        std::vector<prove::PatchProof> worst_first = proof->patches;
        std::stable_sort(worst_first.begin(), worst_first.end(),
                         [](const auto& a, const auto& b) { return a.delta_e_2000 > b.delta_e_2000; });
        for (const prove::PatchProof& p : worst_first) {
            x << x.size();
            values_ << p.delta_e_2000;
            ids_ << QString::fromStdString(p.id);
            ticks->addTick(x.back(), ids_.back());
        }
    }
    say(proof ? QString() : tr("Accuracy is not checked yet"));
    for (QCPAbstractItem* item :
         std::initializer_list<QCPAbstractItem*>{fitted_, left_out_, fitted_words_, left_out_words_})
        item->setVisible(proof != nullptr);
    bars_->setData(x, values_);
    xAxis->setTicker(ticks);
    xAxis->setRange(-0.6, std::max(0.6, x.size() - 0.4));
    double top = 1;
    if (proof) {
        const double fitted = proof->delta_e_2000.mean, left_out = cross_validated.mean;
        top = std::max(1.0, 1.15 * std::max(proof->delta_e_2000.max, left_out));
        fitted_->point1->setCoords(0, fitted);
        fitted_->point2->setCoords(1, fitted);
        left_out_->point1->setCoords(0, left_out);
        left_out_->point2->setCoords(1, left_out);
        fitted_words_->setText(tr("mean %1 %2").arg(basis).arg(fitted, 0, 'f', 2));
        left_out_words_->setText(tr("mean held out %1").arg(left_out, 0, 'f', 2));
        // Words apart also where the lines nearly meet.
        fitted_words_->setPositionAlignment(Qt::AlignRight | (left_out >= fitted ? Qt::AlignTop : Qt::AlignBottom));
        left_out_words_->setPositionAlignment(Qt::AlignRight | (left_out >= fitted ? Qt::AlignBottom : Qt::AlignTop));
        fitted_words_->position->setCoords(1, fitted);
        left_out_words_->position->setCoords(1, left_out);
    }
    yAxis->setRange(0, top);
    mark();
}

void ProofPlot::select_patch(const QString& id) {
    selected_ = id;
    mark();
}

void ProofPlot::mark() {
    const auto i = ids_.indexOf(selected_);
    chosen_->setData(i < 0 ? QVector<double>() : QVector<double>{double(i)},
                     i < 0 ? QVector<double>() : QVector<double>{values_[i]});
    replot(QCustomPlot::rpQueuedReplot);
}

} // namespace refero::app
