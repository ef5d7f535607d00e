#include "handover/destinations.hpp"

#include <algorithm>

#include "base/base.hpp"

namespace refero::handover {

const std::vector<Destination>& destinations() {
    static const std::vector<Destination> all{
        {.id = "develop",
         .title = "Raw developer",
         .formats = {"dcp"},
         .where = "the folder of camera profiles of the raw developer",
         .next = "Restart the raw developer and choose the profile for the frames of this light.",
         .raw = true,
         .why_not = "a camera profile is for raw files"},
        {.id = "grade",
         .title = "Grading of clips",
         .formats = {"clf", "cube", "cdl"},
         .where = "the LUT folder of the grading program",
         .next = "Put the LUT on the clips before any other look; the CDL is for programs without LUTs.",
         .clips = true,
         .why_not = "grading works on clips; raw files go to a raw developer first"},
        {.id = "lut-slot",
         .title = "LUT of a camera or monitor",
         .formats = {"cube"},
         .where = "the root of a memory card, or the monitor's own folder for LUTs",
         .next = "Load the LUT into a slot and switch it on for this mode and light alone.",
         .pictures = true,
         .clips = true,
         .why_not = "a LUT in a camera or monitor sees codes, not raw data"},
        {.id = "effects",
         .title = "Visual effects",
         .formats = {"ocio", "matrix"},
         .where = "beside the plates",
         .next = "Point the compositing program to config.ocio and read the plates by the camera's name in it.",
         .raw = true,
         .pictures = true,
         .clips = true,
         .why_not = ""},
        {.id = "print",
         .title = "Print and layout",
         .formats = {"icc"},
         .where = "the system's folder of ICC profiles",
         .next = "Assign the profile to the pictures, then convert them to the printer's.",
         .raw = true,
         .pictures = true,
         .why_not = "an ICC input profile is for pictures, not for clips"},
        {.id = "archive",
         .title = "Archive",
         .formats = {"clf", "csv", "recipe"},
         .where = "beside the originals",
         .next = "Keep these files with the originals: they are read without this program.",
         .raw = true,
         .pictures = true,
         .clips = true,
         .why_not = ""},
    };
    return all;
}

const Destination& destination_named(const std::string& id) {
    const auto& all = destinations();
    const auto at = std::find_if(all.begin(), all.end(), [&](const Destination& d) { return d.id == id; });
    if (at != all.end()) return *at;
    std::string known;
    for (const Destination& d : all) known += (known.empty() ? "" : " ") + d.id;
    throw Error(ErrorKind::usage, "there is no destination '" + id + "'", {}, "Known: " + known);
}

const Destination& destination_for(Records records) {
    return destination_named(records == Records::raw ? "develop" : records == Records::clips ? "grade" : "print");
}

} // namespace refero::handover
