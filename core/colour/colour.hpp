// What the colour room offers.
#pragma once

#include "colour/quantities.hpp"
#include "colour/rgb.hpp"
#include "colour/spectrum.hpp"
