// Cards and charts as things in hand: touched for a balance, given values of their own, taught from a picture.
#pragma once

#include "find/teach.hpp"
#include "model/pictures/pictures.hpp"

namespace refero::app {

class KitDocument;

class Cards : public QObject {
    Q_OBJECT

public:
    Cards(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks, Notices& notices);

    /// The card of a setup's shot was touched there; none: the middle half of the frame, for a diffuser.
    void balance_on(Id setup, const std::optional<chart::Point>& at);
    /// Values of the card in hand: the setup's chart is compared with them from now on.
    void bring_values(Id setup, const chart::Reference& values);
    /// A chart that is not known yet, read off a setup's shot between four corners.
    void teach(Id setup, const chart::Corners& about);

signals:
    void taught(const find::Taught& chart);

private:
    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Pictures& pictures_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
