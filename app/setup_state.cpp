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

LinkState SetupState::link(Step step) const {
    switch (step) {
    case Step::shot: return shot ? LinkState::whole : problem.isEmpty() ? LinkState::missing : LinkState::broken;
    case Step::reading: return shot ? LinkState::whole : LinkState::missing;
    case Step::balance: return balance ? LinkState::whole : balance_problem.isEmpty() ? LinkState::missing : LinkState::broken;
    case Step::correction:
    case Step::proof: return !correction ? LinkState::missing : correction_stale() ? LinkState::worn : LinkState::whole;
    case Step::handover: {
        if (handovers.empty()) return LinkState::missing;
        for (const Handover& h : handovers)
            if (h.made_from != correction) return LinkState::worn;
        return correction_stale() ? LinkState::worn : LinkState::whole;
    }
    }
    return LinkState::missing;
}

QString SetupState::figure(Step step) const {
    switch (step) {
    case Step::shot:
        if (waiting) return QObject::tr("frame is being made");
        if (busy) return QObject::tr("reading the frame");
        if (shot) return settings.corners ? QObject::tr("corners by hand") : QObject::tr("%1, %2 %").arg(QString::fromStdString(shot->placement.chart)).arg(shot->placement.confidence * 100, 0, 'f', 0);
        return problem.isEmpty() ? QString() : QObject::tr("no chart");
    case Step::reading: {
        if (!shot) return {};
        int usable = 0;
        for (const auto& p : shot->reading.patches) usable += p.usable();
        return QObject::tr("%1 of %2").arg(usable).arg(shot->reading.patches.size());
    }
    case Step::balance:
        if (!balance) return {};
        return light ? QObject::tr("%1, %2 K").arg(QString::fromStdString(balance->white_patch)).arg(qRound(light->kelvin / 10) * 10) : QString::fromStdString(balance->white_patch);
    case Step::correction:
        if (fitting) return QObject::tr("fitting");
        return correction ? QString::fromStdString(fit::name_of(correction->model)) : QString();
    case Step::proof: return correction ? QObject::tr("\u0394E\u2009%1").arg(correction->cross_validated.mean, 0, 'f', 2) : QString();
    case Step::handover: return handovers.empty() ? QString() : handovers.size() == 1 ? QObject::tr("1 file") : QObject::tr("%1 files").arg(handovers.size());
    }
    return {};
}

QString SetupState::next(Step step) const {
    switch (step) {
    case Step::shot:
        if (waiting || busy || shot) return {};
        return problem.isEmpty() ? QObject::tr("Shoot the chart") : QObject::tr("Set the corners");
    case Step::reading: return {};
    case Step::balance: return balance_problem.isEmpty() ? QString() : QObject::tr("Choose another neutral");
    case Step::correction:
        if (fitting || !balance) return {};
        return !correction ? QObject::tr("Fit the correction") : correction_stale() ? QObject::tr("Fit the correction again") : QString();
    case Step::proof: return {};
    case Step::handover:
        if (!correction) return {};
        return handovers.empty() ? QObject::tr("Export a file") : link(Step::handover) == LinkState::worn ? QObject::tr("Export again") : QString();
    }
    return {};
}

Step SetupState::current() const {
    for (int i = 0; i < step_count; ++i)
        if (link(static_cast<Step>(i)) != LinkState::whole) return static_cast<Step>(i);
    return Step::handover;
}

} // namespace refero::app
