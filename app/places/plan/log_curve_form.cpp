#include "log_curve_form.hpp"

#include <QFormLayout>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "operations/correct/curves.hpp"
#include "ui/theme.hpp"
#include "ui/widgets/flow_label.hpp"

namespace refero::app {

/// Codes over stops from middle grey.
class CurvePlot : public Plot {
public:
    CurvePlot() : line_(addGraph()), greys_(addGraph()) {
        xAxis->setLabel(QObject::tr("stops from 18 % grey"));
        yAxis->setLabel(QObject::tr("code, %"));
        greys_->setLineStyle(QCPGraph::lsNone);
        setMinimumHeight(170);
    }
    void set(const colour::LogCurve* curve, const std::vector<operations::CurveCheck>& greys) {
        dress();
        const Theme& t = Theme::now();
        line_->setPen(QPen(t.text, 1.8));
        greys_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.text, 7));
        QVector<double> x, y, gx, gy;
        for (double stops = -8; curve && stops <= 7; stops += 0.1) {
            x << stops;
            y << 100 * curve->encode(0.18 * std::exp2(stops));
        }
        for (const operations::CurveCheck& g : greys) {
            gx << std::log2(g.luminance / 0.18);
            gy << 100 * g.code;
        }
        line_->setData(x, y);
        greys_->setData(gx, gy);
        say(curve ? QString() : QObject::tr("No curve by these figures"));
        xAxis->setRange(-8, 7);
        yAxis->setRange(0, 105);
        replot(QCustomPlot::rpQueuedReplot);
    }

private:
    QCPGraph *line_, *greys_;
};

LogCurveForm::LogCurveForm(Desk& desk, QWidget* parent)
    : QWidget(parent),
      desk_(desk),
      name_(new QLineEdit),
      plot_(new CurvePlot),
      words_(new FlowLabel),
      greys_(new FlowLabel),
      keep_(new QPushButton(tr("Use this curve"))),
      check_(new QPushButton(tr("Check on the chart's greys"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    auto* formula = new FlowLabel(
        tr("code = <i>slope</i> \u00b7 log(<i>linear slope</i> \u00b7 light + <i>linear offset</i>) + <i>offset</i>, "
           "straight below the break. Codes run from 0 to 1: divide 10-bit codes by 1023."));
    formula->setProperty("dim", true);
    column->addWidget(formula);
    auto* form = new QFormLayout;
    form->addRow(tr("Name"), name_);
    struct Field {
        QString label, tooltip;
        double low, high;
    };
    const Field fields[] = {{tr("Base"), tr("Of the logarithm: 10 or 2 with most makers"), 1.0001, 100},
                            {tr("Slope"), tr("Log side: what multiplies the logarithm"), -100, 100},
                            {tr("Offset"), tr("Log side: what is added to it"), -100, 100},
                            {tr("Linear slope"), tr("Linear side: what multiplies the light"), -1e6, 1e6},
                            {tr("Linear offset"), tr("Linear side: what is added to the light"), -1e6, 1e6},
                            {tr("Break"), tr("Light at which the straight part ends"), -10, 10}};
    for (std::size_t i = 0; i < figures_.size(); ++i) {
        figures_[i] = new QDoubleSpinBox;
        figures_[i]->setRange(fields[i].low, fields[i].high);
        figures_[i]->setDecimals(7);
        figures_[i]->setButtonSymbols(QAbstractSpinBox::NoButtons);
        figures_[i]->setToolTip(fields[i].tooltip);
        figures_[i]->setAccessibleName(fields[i].label);
        form->addRow(fields[i].label, figures_[i]);
        connect(figures_[i], &QDoubleSpinBox::valueChanged, this, &LogCurveForm::show_curve);
    }
    column->addLayout(form);
    column->addWidget(plot_);
    for (QLabel* label : {words_, greys_}) { column->addWidget(label); }
    auto* row = new QHBoxLayout;
    keep_->setProperty("primary", true);
    keep_->setObjectName("keepCurve");
    check_->setToolTip(
        tr("Reads the greys of a chart shot in this mode as codes, and tells how far the curve puts them "
           "from their reflectances"));
    auto* away = new QPushButton(tr("Close"));
    for (QPushButton* b : {keep_, check_, away}) row->addWidget(b);
    row->addStretch();
    column->addLayout(row);
    connect(keep_, &QPushButton::clicked, this, &LogCurveForm::keep);
    connect(check_, &QPushButton::clicked, this, &LogCurveForm::check_on_chart);
    connect(away, &QPushButton::clicked, this, &LogCurveForm::closed);
    set_curve({});
}

void LogCurveForm::open(Id mode) {
    mode_ = mode;
    const shoot::ModeRecord* row = shoot::record(desk_.job.shoot().modes, mode);
    if (!row) return;
    name_->setText(qt(row->name));
    greys_->clear();
    if (const auto known = operations::typed_curve(row->encoding)) set_curve(*known);
    show_curve();
}

colour::LogCurve LogCurveForm::curve() const {
    return {figures_[0]->value(), figures_[1]->value(), figures_[2]->value(),
            figures_[3]->value(), figures_[4]->value(), figures_[5]->value()};
}

void LogCurveForm::set_curve(const colour::LogCurve& curve) {
    const double values[] = {curve.base,      curve.log_slope,  curve.log_offset,
                             curve.lin_slope, curve.lin_offset, curve.break_at};
    for (std::size_t i = 0; i < figures_.size(); ++i) {
        const QSignalBlocker quiet(figures_[i]);
        figures_[i]->setValue(values[i]);
    }
    show_curve();
}

void LogCurveForm::show_curve() {
    const colour::LogCurve c = curve();
    try {
        c.check();
        const double white = c.decode(1);
        words_->setText(tr("18 % grey lands at %1 %, 90 % white at %2 %; the last code is %3 stops over grey.")
                            .arg(100 * c.encode(0.18), 0, 'f', 1)
                            .arg(100 * c.encode(0.9), 0, 'f', 1)
                            .arg(std::log2(white / 0.18), 0, 'f', 1));
        keep_->setEnabled(true);
        plot_->set(&c, {});
    } catch (const Error& e) {
        words_->setText(qt(e.sentences()));
        keep_->setEnabled(false);
        plot_->set(nullptr, {});
    }
}

void LogCurveForm::keep() {
    desk_.notices.guarded([&] {
        const fs::path file = operations::keep_curve(curve(), name_->text().trimmed().toStdString());
        const shoot::ModeRecord* row = shoot::record(desk_.job.shoot().modes, mode_);
        if (!row) return;
        shoot::ModeRecord mode = *row;
        mode.encoding = file.string();
        desk_.job.change(shoot::put(mode.name + ": log curve " + file.stem().string(), mode));
        desk_.notices.tell(
            tr("%1 is decoded by this curve from now on; its chart shots are read anew.").arg(qt(mode.name)));
    });
}

void LogCurveForm::check_on_chart() {
    for (const Id setup : desk_.chains.ids()) {
        const Chain& c = desk_.chains.at(setup);
        if (c.row.mode != mode_ || !c.shot || !c.reference || c.chart_frame.raw) continue;
        const auto request = operations::curve_check_request(c);
        desk_.tasks.run(
            {Doing::measuring, setup}, tr("Reading the chart's greys"),
            [this, request, curve = curve()](std::stop_token stop, const Progress&) -> Tasks::Then {
                const auto greys = operations::check_curve(curve, request, stop);
                return [this, greys, curve] {
                    plot_->set(&curve, greys);
                    double worst = 0;
                    for (const operations::CurveCheck& g : greys) worst = std::max(worst, std::abs(g.stops));
                    greys_->setText(
                        tr("The chart's greys lie within %1 stops of this curve after one exposure for "
                           "all%2.")
                            .arg(worst, 0, 'f', 2)
                            .arg(worst > 0.1 ? tr(": another curve, or another recorded range") : QString()));
                };
            });
        return;
    }
    greys_->setText(tr("No chart shot of this mode is read yet."));
}

} // namespace refero::app
