// The desk: what is open and what is done with it, each part by its own name. Views are given the desk and use its
// parts; the parts tell each other through signals.
#pragma once

#include "desk/batches.hpp"
#include "desk/cards.hpp"
#include "desk/document.hpp"
#include "desk/frames.hpp"
#include "desk/handovers.hpp"
#include "desk/matches.hpp"
#include "desk/monitors.hpp"
#include "desk/practice.hpp"
#include "desk/readings.hpp"
#include "desk/renderings.hpp"
#include "desk/setups.hpp"
#include "desk/watcher.hpp"
#include "pictures/pictures.hpp"

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
