// Files handed over: where they go, what they hold, and the rows that say so.
#pragma once

#include "apply/apply.hpp"
#include "frame/clip.hpp"
#include "handover/handover.hpp"
#include "operations/correct/chain.hpp"
#include "operations/handover/evening.hpp"

namespace refero::operations {

/// A file that was written.
struct HandedOver {
    std::filesystem::path file;
    std::string kind, message;
    shoot::Id correction = 0;                          ///< the row that was handed over; 0: the setup's own
    std::vector<shoot::HandoverFileRecord> files = {}; ///< as they were written; see recorded()
};

/// Throws Error(usage) where an output would replace a frame of the job or its companion, the job itself, one of its
/// references, or another output. What exists else is the caller's question.
void guard_outputs(const shoot::Shoot& shoot, const std::filesystem::path& job_file,
                   const std::vector<std::filesystem::path>& outputs);
/// Those of the outputs that exist.
std::vector<std::filesystem::path> existing(const std::vector<std::filesystem::path>& outputs);

/// `format` is an id of handover::formats().
HandedOver write_file(const fit::Correction& correction, const std::string& format, const handover::Options& options,
                      const std::filesystem::path& file);
/// One made elsewhere, with a small fitted correction after it, as a cube.
HandedOver write_trimmed(const Chain& chain, const prove::Named& other, const std::filesystem::path& file);

/// A frame that is to be corrected, and where it goes.
struct Development {
    FrameSource source;
    std::filesystem::path target;
    shoot::Id row = 0;                           ///< the job's record of the source; 0: none
    std::shared_ptr<RegionFollowed> region = {}; ///< marked for its stretch; null: none
};
using shoot::FrameExposure;
/// Camera settings that differ by less are the same: dials step by a third of a stop, and times are rounded.
inline constexpr double max_same_exposure_stops = 0.1;
/// The exposure factor of a frame by a choice, and which one it took in the end. Settings are N^2 / (t S); where the
/// flash fired in both, aperture and ISO alone. Where either does not tell them, the chart's.
struct ExposureTaken {
    FrameExposure choice = FrameExposure::chart;
    double factor = 1;     ///< after the gains
    std::string says = {}; ///< why a frame does not follow its region; empty: it does, or none was asked for
};
ExposureTaken exposure_for(FrameExposure choice, const fit::Correction& correction, const frame::Metadata& frame);
/// By the region of its stretch; the chart's where there is none, or something stands before it, which it says.
ExposureTaken exposure_by_region(const Development& development, const fit::Correction& correction,
                                 const frame::Frame& frame);

/// How frames are written.
struct DevelopOptions {
    apply::Format format = apply::Format::tiff;
    std::string space = "srgb";
    apply::Depth depth = apply::Depth::usual;
    apply::Parts parts;
    apply::Gamut gamut = apply::Gamut::clip;
    FrameExposure exposure = FrameExposure::chart;
    std::string container;      ///< of clips: mov mxf mp4 mkv; empty: the format's usual one
    double white_luminance = 0; ///< EXR: see apply::Picture
    Existing existing = Existing::refuse;
};
/// The stills of a clip or sequence from one position to another, s.
std::vector<FrameSource> stills_between(const FrameSource& clip, double frames_per_second, double from_s, double to_s);
/// How targets are named: tokens {stem} {camera} {light} {lens} {date} {rendering} {space} {counter}.
struct Naming {
    std::string pattern = "{stem}";
    std::string light, rendering, space;
    bool tell_apart = false; ///< equal names get a number; else whoever checks the outputs refuses them
};
/// All targets, in the order of the sources, before anything is written. Throws Error(usage) for a pattern that cannot
/// be used.
std::vector<Development> plan_targets(const std::vector<FrameSource>& sources, const Naming& naming,
                                      apply::Format format, const std::filesystem::path& folder,
                                      const std::string& container = {});
/// What is developed of a row of a job: of a clip the range that is marked, else the still that shows the chart; for a
/// format of clips the range as one, else the whole clip.
std::vector<FrameSource> stills_of(const shoot::Shoot& shoot, const shoot::FrameRecord& row, shoot::Id mode,
                                   apply::Format format = apply::Format::tiff);
/// How many files a row of a job comes to.
int stills_in(const shoot::FrameRecord& row);
/// The setup's chart shot and ordinary frames, of clips the range that is marked; equal stems are told apart by a
/// number. `rendering`: a name in place of the setup's own.
std::vector<Development> developments(const shoot::Shoot& shoot, const Chain& chain, apply::Format format,
                                      const std::filesystem::path& folder, const std::string& pattern = "{stem}",
                                      const std::string& space = "srgb", const std::string& rendering = {});
/// The correction of the same camera under another light, for frames under one between both: by the frame's own
/// balance, or at a temperature that is known.
struct SecondLight {
    std::shared_ptr<const fit::Correction> correction; ///< null: there is none
    double kelvin = 0;                                 ///< of the frames' light; 0: by the raw file's balance
};
struct Developed : HandedOver {
    std::vector<std::string> differences; ///< how the frame was recorded otherwise than the chart shot
    ExposureTaken exposure;               ///< that it got
    double kelvin = 0;                    ///< between two lights: where it was taken to stand
    std::string between;                  ///< the same in words
};
/// A clip that stays open from one of its stills to the next.
struct Reel {
    std::filesystem::path file;
    std::unique_ptr<frame::ClipReader> reader;
};
/// The pixels of a frame, the first of two steps of its development; none where a copy of a raw file is asked for. A
/// still of a range comes from the clip that is open already. Throws Error(input), Error(cancelled).
frame::Frame take_frame(const Development& frame, const DevelopOptions& options, Reel& reel, std::stop_token stop = {});
/// The second. Throws Error(input), Error(internal), Error(cancelled).
Developed develop(const Development& frame, frame::Frame&& pixels, const fit::Correction& correction,
                  const SecondLight& second, const DevelopOptions& options, std::stop_token stop = {});
/// What a developed frame is known by, 32 hexadecimal digits kept in it: correction, settings, and the source's name,
/// size and time. Equal: it would come out the same again.
std::string record_of(const Development& frame, const fit::Correction& correction, const std::string& correction_json,
                      const SecondLight& second, const DevelopOptions& options);
/// True where the target is there and bears this record: it was finished so.
bool is_finished(const Development& frame, const std::string& record);

/// The row that says so; an earlier one of the same file goes.
shoot::Change keep(const shoot::Shoot& shoot, const Chain& chain, const HandedOver& handed);
/// Rows of many, as one step.
shoot::Change keep_all(const shoot::Shoot& shoot, const std::vector<std::pair<const Chain*, HandedOver>>& handed);

} // namespace refero::operations
