// The chain of a setup in words: state, figure and next thing to do of each link.
#include "words/words.hpp"
#include "model/chains.hpp"

namespace refero::app {

QString name_of(Step step) {
    switch (step) {
    case Step::shot: return QObject::tr("Shot");
    case Step::reading: return QObject::tr("Reading");
    case Step::balance: return QObject::tr("Balance");
    case Step::correction: return QObject::tr("Correction");
    case Step::proof: return QObject::tr("Accuracy");
    case Step::handover: return QObject::tr("Handover");
    }
    return {};
}

QString name_of(LinkState state) {
    switch (state) {
    case LinkState::missing: return QObject::tr("missing");
    case LinkState::broken: return QObject::tr("broken");
    case LinkState::worn: return QObject::tr("stale");
    case LinkState::whole: return QObject::tr("whole");
    }
    return {};
}

/// The shot shows a card of one surface.
static bool is_card(const Chain& c) { return c.shot && c.shot->definition.patches.size() == 1; }

QString figure_of(const Chain& c, Step step, const Tasks& tasks) {
    switch (step) {
    case Step::shot:
        if (tasks.busy(Doing::making, c.id)) return QObject::tr("frame is being made");
        if (tasks.busy(Doing::reading, c.id)) return QObject::tr("reading the frame");
        if (c.balance_only() && !c.shot && !c.problem.empty() && c.refused == c.problem)
            return QObject::tr("click the card");
        if (!c.refused.empty()) return QObject::tr("refused");
        if (is_card(c)) return QObject::tr("card");
        if (c.shot)
            return c.settings.corners ? QObject::tr("corners by hand")
                                      : QObject::tr("%1, %2 %")
                                            .arg(QString::fromStdString(c.shot->placement.chart))
                                            .arg(c.shot->placement.confidence * 100, 0, 'f', 0);
        return c.problem.empty() ? QString() : QObject::tr("no chart");
    case Step::reading: {
        if (!c.shot) return {};
        if (is_card(c))
            return QObject::tr("R %1  G %2  B %3", "a card's reading in percent")
                .arg(100 * c.shot->reading.patches[0].mean[0], 0, 'f', 1)
                .arg(100 * c.shot->reading.patches[0].mean[1], 0, 'f', 1)
                .arg(100 * c.shot->reading.patches[0].mean[2], 0, 'f', 1);
        int usable = 0;
        for (const auto& p : c.shot->reading.patches) usable += p.usable();
        return QObject::tr("%1 of %2").arg(usable).arg(c.shot->reading.patches.size());
    }
    case Step::balance:
        if (!c.balance) return {};
        if (is_card(c) && c.light) return QObject::tr("%1 K").arg(qRound(c.light->kelvin / 10) * 10);
        return c.light ? QObject::tr("%1, %2 K")
                             .arg(QString::fromStdString(c.balance->white_patch))
                             .arg(qRound(c.light->kelvin / 10) * 10)
                       : QString::fromStdString(c.balance->white_patch);
    case Step::correction:
        if (tasks.busy(Doing::fitting, c.id)) return QObject::tr("fitting");
        if (!c.correction) return {};
        return c.balance_only() ? qt(fit::name_of(c.correction->model))
                                : QString("%1 %2")
                                      .arg(qt(fit::name_of(c.correction->model)))
                                      .arg(c.correction->cross_validated.mean, 0, 'f', 2);
    case Step::proof:
        return c.correction && c.proved ? QObject::tr("\u0394E\u2009%1").arg(c.proof_mean, 0, 'f', 2) : QString();
    case Step::handover:
        return c.handovers.empty()       ? QString()
               : c.handovers.size() == 1 ? QObject::tr("1 file")
                                         : QObject::tr("%1 files").arg(c.handovers.size());
    }
    return {};
}

QString sentence_of(const Chain& c, Step step, const Tasks& tasks) {
    const double held_out = c.correction ? c.correction->cross_validated.mean : 0;
    switch (step) {
    case Step::shot:
        if (tasks.busy(Doing::making, c.id) || tasks.busy(Doing::reading, c.id))
            return QObject::tr("The chart is being read.");
        if (is_card(c)) return qt(words::balance(c.balance.has_value(), c.light ? c.light->kelvin : 0));
        return qt(words::shot({.there = c.chart_shot != 0,
                               .found = c.shot != nullptr,
                               .card = c.balance_only() && !c.shot,
                               .refused = !c.refused.empty(),
                               .accepted = gate_words(c) == QObject::tr("Accepted"),
                               .verdict = c.gate()}));
    case Step::reading: {
        int usable = 0;
        if (c.shot)
            for (const auto& p : c.shot->reading.patches) usable += p.usable();
        return qt(words::reading(usable, c.shot ? static_cast<int>(c.shot->reading.patches.size()) : 0));
    }
    case Step::balance: return qt(words::balance(c.balance.has_value(), c.light ? c.light->kelvin : 0));
    case Step::correction:
        if (tasks.busy(Doing::fitting, c.id)) return QObject::tr("The correction is being fitted.");
        return qt(words::correction(c.correction != nullptr, c.correction_stale(), held_out));
    case Step::proof: return qt(words::proof(c.correction && c.proved, c.correction_stale(), c.proof_mean));
    case Step::handover:
        return qt(words::handover(c.correction != nullptr, static_cast<int>(c.handovers.size()),
                                  c.link(Step::handover) == LinkState::worn));
    }
    return {};
}

QString next_of(const Chain& c, Step step, const Tasks& tasks) {
    switch (step) {
    case Step::shot:
        if (!c.refused.empty() && !(c.balance_only() && c.refused == c.problem))
            return QObject::tr("Shoot the chart again");
        if (tasks.busy(Doing::making, c.id) || tasks.busy(Doing::reading, c.id) || c.shot) return {};
        if (c.balance_only()) return c.chart_shot ? QObject::tr("Click the card") : QObject::tr("Shoot the card");
        return c.problem.empty() ? QObject::tr("Shoot the chart") : QObject::tr("Set the corners");
    case Step::reading: return {};
    case Step::balance: return c.balance_problem.empty() ? QString() : QObject::tr("Choose another neutral");
    case Step::correction:
        if (tasks.busy(Doing::fitting, c.id) || c.balance_only()) return {};
        if (c.correction_stale()) return QString::fromStdString(c.stale.front().remedy);
        return !c.correction && c.balance && c.refused.empty() ? QObject::tr("Fit the correction") : QString();
    case Step::proof: return c.correction && !c.proved ? QObject::tr("Check accuracy on this chart shot") : QString();
    case Step::handover:
        if (!c.correction) return {};
        return c.handovers.empty()                         ? QObject::tr("Export a file")
               : c.link(Step::handover) == LinkState::worn ? QObject::tr("Export again")
                                                           : QString();
    }
    return {};
}

QString nominal_words(const Chain& c) {
    return !c.nominal() ? QString()
                        : QObject::tr("Nominal values of %1: bring those of the card in hand on Shot.")
                              .arg(qt(c.shot ? c.shot->definition.id : std::string()));
}

QString gate_words(const Chain& s) {
    const bool by_user = !s.refused.empty() && s.gate() != inspect::Status::reshoot;
    if (s.balance_only() && !s.shot && s.chart_shot && !s.problem.empty() && s.refused == s.problem)
        return QObject::tr("Click the card");
    return !s.refused.empty() ? (by_user ? QObject::tr("Refused") : QObject::tr("Reshoot"))
           : !s.shot          ? (s.problem.empty() ? QObject::tr("To shoot") : QObject::tr("No chart"))
           : s.gate() == inspect::Status::caution ? QObject::tr("Caution")
           : s.gate() == inspect::Status::reshoot ? QObject::tr("Accepted")
                                                  : QObject::tr("Pass");
}

QString remedy_of(const Chain& s) {
    const bool told = !s.findings.empty() && inspect::is_alarm(s.findings.front().status);
    return !s.refused.empty() ? qt(s.refused)
           : !s.shot          ? qt(s.problem)
           : told             ? qt(s.findings.front().advice)
                              : QString();
}

} // namespace refero::app
