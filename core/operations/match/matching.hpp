// Cameras matched: what each of them shows of a chart, the match, and the row that keeps it.
#pragma once

#include "match/match.hpp"
#include "operations/correct/chain.hpp"
#include "prove/elsewhere.hpp"

namespace refero::operations {

/// What a frame, or a table of readings, shows of a chart, and the file's own colours.
struct Side {
    read::Reading reading;
    std::optional<chart::Definition> definition;
    std::optional<colour::Mat3> camera_from_xyz, xyz_from_rgb; ///< see frame::Frame
    bool raw = false, finished = false;
    std::string encoding; ///< see encoding_of
    fit::Source source;
};
Side side_of(const MeasuredShot& shot);
/// `chart`: id or file of its definition, or empty. Throws Error(input).
Side side_of_table(const std::filesystem::path& cgats, const std::string& chart);

/// Balanced colour to XYZ (D50) by what the file itself says: a raw file's matrix, a picture's profile, else the
/// primaries that go with its encoding.
colour::Mat3 own_colours(const frame::Frame& frame, const balance::Balance& balance);
std::function<colour::Mat3(const balance::Balance&)> own_colours_of(const Side& side);

/// The code value, 0 to 1, that an encoding (see encoding_of) decodes to this signal; none for one that is not known.
std::optional<double> code_of(double signal, const std::string& encoding);

/// What the lead shows: through its correction, or, without one, as the finished picture is. `space` names the
/// picture's primaries where its profile does not. Throws Error(usage) for raw files without a correction.
chart::Reference shown_by(const Side& lead, const fit::Correction* correction, const std::string& space = {});
/// Matches the other to what the lead shows; the correction knows its source. Throws Error(usage) where the sides show
/// different charts, Error(input), Error(cancelled).
match::Match matched(const Side& lead, const Side& other, const chart::Reference& target,
                     const std::optional<chart::Reference>& reference, match::Settings settings,
                     std::stop_token stop = {});

/// All that the match of one setup to another needs, as plain values.
struct MatchRequest {
    shoot::Id lead = 0, other = 0;
    std::string title; ///< "Stills B to Stills A, Window"
    Side lead_side, other_side;
    chart::Reference target;
    std::optional<chart::Reference> reference;
    match::Settings settings;
    std::string made_from; ///< what it is stale without
};
/// Throws Error(usage), in words, where the two cannot be matched: another light, another chart, no reading, a lead
/// without a rendering.
MatchRequest match_request(const Chain& lead, const Chain& other, const match::Settings& settings = {});
match::Match match(const MatchRequest& request, std::stop_token stop = {});
shoot::Change keep(const shoot::Shoot& shoot, const MatchRequest& request, const match::Match& match);

/// What a mode makes of the chart by its balance alone, with the light that its greys show, and where it puts each
/// patch. Throws Error(input) where the greys cannot be read.
struct ModeSeen {
    match::ModeLook look;
    prove::Proof patches;
};
ModeSeen mode_seen(const Side& side, const chart::Reference& reference);

/// The same through a look or LUT that was made elsewhere, on what it expects: codes as the mode records them, or, of a
/// raw file, balanced ones in `usage`'s encoding. Empty parts of `usage` are filled by the mode. Throws Error(input).
struct LookTried {
    prove::Usage usage;                     ///< as it was taken to be
    prove::Proof proof;                     ///< exposed by the balance patch
    std::vector<prove::Neighbours> changed; ///< patches that it merged or tore
    int turned = 0;                         ///< ramps between patches on which a hue runs back
};
LookTried look_tried(const Side& side, const chart::Reference& reference, const std::filesystem::path& look,
                     prove::Usage usage);

/// Exposures of one mode beside its key exposure.
struct ExposureSeries {
    std::vector<match::Exposure> frames;
    std::optional<std::pair<double, double>> usable_stops; ///< see match::usable_stops
    std::optional<double> clip_code; ///< code value, 0 to 1, where the recording is seen to end below its last code
};
/// `known_end`: where it ends was told already. Throws Error(input) where the key exposure's greys cannot be read.
ExposureSeries exposure_series(const std::vector<Side>& sides, std::size_t key, const chart::Reference& reference,
                               const inspect::Limits& limits, bool known_end = false);

/// The same from frames: each is read, and its chart found and measured.
struct ExposuresAsked {
    std::vector<FrameSource> frames;
    std::size_t key = 0; ///< in `frames`
    std::string chart;   ///< id or file
    inspect::Limits limits;
};
struct ExposuresSeen {
    ExposureSeries series;
    std::vector<std::size_t> of;                             ///< the frame of each exposure
    std::vector<std::pair<std::size_t, std::string>> unseen; ///< frames that show no chart, or cannot be read, and why
};
/// Throws Error where the key exposure itself is of no use, Error(cancelled).
ExposuresSeen look_at_exposures(const ExposuresAsked& asked, const Progress& progress = {}, std::stop_token stop = {});

/// Throws Error(input) for a raw file, which is no picture yet.
void refuse_raw(const std::filesystem::path& picture);
/// A delivered picture against what the setup's correction makes of its chart shot, by the chart that both show. Throws
/// Error(usage) without a correction, Error(not_found) where the picture shows no chart.
match::Delivered verify_delivered(const Chain& chain, const std::filesystem::path& picture, std::stop_token stop = {});

/// A match that a job keeps. The newest of a pair is in force.
struct KeptMatch {
    shoot::Id row = 0, lead = 0, other = 0;
    std::string made;  ///< UTC
    std::string stale; ///< why it does not hold any more; empty: it does
    std::shared_ptr<const fit::Correction> correction;
    match::Way way = match::Way::direct;
    fit::Statistics before, fit, cross_validated;
    std::vector<match::Candidate> candidates;
};
/// The one in force of a pair, or none. Throws Error(input) where the row is damaged.
/// `known` gives a correction that was read from this text before, or null.
std::optional<KeptMatch> kept_match(
    const shoot::Shoot& shoot, const Chain& lead, const Chain& other,
    const std::function<std::shared_ptr<const fit::Correction>(const shoot::CorrectionRecord&)>& known = {});
/// The same by hand; for what is kept and for what is only looked at.
match::ByHand by_hand(const Chain& lead, const Chain& other, const fit::Correction& correction);

} // namespace refero::operations
