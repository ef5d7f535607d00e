// The desk: what is open and what is done with it, each part by its own name. Views are given the desk and use its
// parts; the parts tell each other through signals.
#pragma once

#include "model/arrivals.hpp"
#include "model/batches.hpp"
#include "model/cards.hpp"
#include "model/document.hpp"
#include "model/frames.hpp"
#include "model/handovers.hpp"
#include "model/matches.hpp"
#include "model/monitors.hpp"
#include "model/pictures/pictures.hpp"
#include "model/practice.hpp"
#include "model/readings.hpp"
#include "model/renderings.hpp"
#include "model/setups.hpp"
#include "model/stretches.hpp"
#include "model/watcher.hpp"

namespace refero::app {

struct Desk {
    Desk();
    ~Desk();

    Notices notices;
    Tasks tasks;
    JobDocument job;
    KitDocument kit;
    Chains chains;
    Pictures pictures;
    Readings readings;
    Setups setups;
    Stretches stretches;
    Arrivals arrivals;
    Cards cards;
    Watcher watcher;
    Frames frames;
    Handovers handovers;
    Batches batches;
    Matches matches;
    Renderings renderings;
    Monitors monitors;
    Practice practice;
};

} // namespace refero::app
