// The chain of a setup in words: state, figure and next thing to do of each link.
#include "session.hpp"

namespace refero::app {

QString name_of(Step step) {
    switch (step) {
    case Step::shot: return QObject::tr("Shot");
    case Step::reading: return QObject::tr("Reading");
    case Step::balance: return QObject::tr("Balance");
    case Step::correction: return QObject::tr("Correction");
    case Step::proof: return QObject::tr("Proof");
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

std::vector<Step> SetupState::steps() const {
    if (balance_only()) return {Step::shot, Step::reading, Step::balance, Step::handover};
    return {Step::shot, Step::reading, Step::balance, Step::correction, Step::proof, Step::handover};
}

bool SetupState::wants_fit() const {
    if (!balance || !refused.isEmpty() || balance_only() || fitting) return false;
    return !correction || std::any_of(stale.begin(), stale.end(), [](const plan::Staleness& r) {
        return r.rule == "settings" || r.rule == "newer" || r.rule == "refused";
    });
}

bool SetupState::whole() const {
    for (const Step step : steps())
        if (link(step) != LinkState::whole) return false;
    return true;
}

LinkState SetupState::link(Step step) const {
    const LinkState made = correction_stale() ? LinkState::worn : LinkState::whole;
    switch (step) {
    case Step::shot:
        return !refused.isEmpty() || !problem.isEmpty() ? LinkState::broken
               : shot                                   ? LinkState::whole
                                                        : LinkState::missing;
    case Step::reading: return shot ? (refused.isEmpty() ? LinkState::whole : LinkState::broken) : LinkState::missing;
    case Step::balance:
        return balance                     ? (refused.isEmpty() ? LinkState::whole : LinkState::broken)
               : balance_problem.isEmpty() ? LinkState::missing
                                           : LinkState::broken;
    case Step::correction: return !correction ? LinkState::missing : made;
    case Step::proof: return !correction || !proved ? LinkState::missing : made;
    case Step::handover: {
        if (handovers.empty()) return LinkState::missing;
        if (balance_only()) return LinkState::whole;
        for (const Handover& h : handovers)
            if (h.correction != correction_id) return LinkState::worn;
        return made;
    }
    }
    return LinkState::missing;
}

QString SetupState::figure(Step step) const {
    switch (step) {
    case Step::shot:
        if (waiting) return QObject::tr("frame is being made");
        if (busy) return QObject::tr("reading the frame");
        if (!refused.isEmpty()) return QObject::tr("refused");
        if (shot)
            return settings.corners ? QObject::tr("corners by hand")
                                    : QObject::tr("%1, %2 %")
                                          .arg(QString::fromStdString(shot->placement.chart))
                                          .arg(shot->placement.confidence * 100, 0, 'f', 0);
        return problem.isEmpty() ? QString() : QObject::tr("no chart");
    case Step::reading: {
        if (!shot) return {};
        int usable = 0;
        for (const auto& p : shot->reading.patches) usable += p.usable();
        return QObject::tr("%1 of %2").arg(usable).arg(shot->reading.patches.size());
    }
    case Step::balance:
        if (!balance) return {};
        return light ? QObject::tr("%1, %2 K")
                           .arg(QString::fromStdString(balance->white_patch))
                           .arg(qRound(light->kelvin / 10) * 10)
                     : QString::fromStdString(balance->white_patch);
    case Step::correction:
        if (fitting) return QObject::tr("fitting");
        return correction ? QString::fromStdString(fit::name_of(correction->model)) : QString();
    case Step::proof:
        return correction && proved ? QObject::tr("\u0394E\u2009%1").arg(proof_mean, 0, 'f', 2) : QString();
    case Step::handover:
        return handovers.empty()       ? QString()
               : handovers.size() == 1 ? QObject::tr("1 file")
                                       : QObject::tr("%1 files").arg(handovers.size());
    }
    return {};
}

QString SetupState::next(Step step) const {
    switch (step) {
    case Step::shot:
        if (!refused.isEmpty()) return QObject::tr("Shoot the chart again");
        if (waiting || busy || shot) return {};
        return problem.isEmpty() ? QObject::tr("Shoot the chart") : QObject::tr("Set the corners");
    case Step::reading: return {};
    case Step::balance: return balance_problem.isEmpty() ? QString() : QObject::tr("Choose another neutral");
    case Step::correction:
        if (fitting || balance_only()) return {};
        if (correction_stale()) return QString::fromStdString(stale.front().remedy);
        return !correction && balance && refused.isEmpty() ? QObject::tr("Fit the correction") : QString();
    case Step::proof: return correction && !proved ? QObject::tr("Prove it on this chart shot") : QString();
    case Step::handover:
        if (!correction) return {};
        return handovers.empty()                         ? QObject::tr("Export a file")
               : link(Step::handover) == LinkState::worn ? QObject::tr("Export again")
                                                         : QString();
    }
    return {};
}

Step SetupState::current() const {
    for (const Step step : steps())
        if (link(step) != LinkState::whole) return step;
    return Step::handover;
}

} // namespace refero::app
