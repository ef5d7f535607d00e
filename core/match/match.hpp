// Cameras, modes, exposures and delivered pictures beside each other, by a chart that all of them show.
#pragma once

#include "inspect/inspect.hpp"
#include "match/recipe.hpp"
#include "prove/prove.hpp"

namespace refero::match {

/// What a side shows of the chart's patches, XYZ relative to D50: through its correction with its finish ...
chart::Reference rendering_of(const fit::Correction& correction, const read::Reading& reading);
/// ... or as the picture is, by the primaries of its linear RGB. Clipped and unreadable patches are left out.
chart::Reference picture_of(const read::Reading& reading, const colour::Mat3& xyz_from_rgb);

/// Through the reference: the other camera's own correction, both being right. Direct: the other camera straight to the
/// lead's rendering.
enum class Way { direct, reference };
std::string name_of(Way way);
/// "direct" or "reference"; none for "auto". Throws Error(usage) for others.
std::optional<Way> way_named(const std::string& name);

/// Whether left-out patches speak for the direct way.
bool is_better(const fit::Statistics& direct, const fit::Statistics& reference);

struct Candidate {
    Way way = Way::direct;
    fit::Model model = fit::Model::matrix;
    fit::Statistics fit;             ///< between both renderings, on the patches that it saw
    fit::Statistics cross_validated; ///< on each patch when that one was left out
};
/// The tone curve of a finished picture, told apart from its colour by the greys.
struct Tone {
    std::vector<std::array<double, 2>> curve; ///< of display codes, as look::Look::curve
    double greys_before = 0, greys_after = 0; ///< what parts both cameras' greys, mean, points of display codes
    fit::Statistics toned;                    ///< between both, the other's by balance and tone alone
};
/// From the other's balanced greys to the picture's. None where fewer than four greys tell.
std::optional<Tone> tone_of(const read::Reading& other, const chart::Reference& picture,
                            const chart::Definition* definition, const balance::Balance& balance);
/// The picture as it would be without its tone curve.
chart::Reference without_tone(const chart::Reference& picture, const Tone& tone);

struct Settings {
    bool tone = false; ///< the target is a finished picture: its tone curve becomes the curve of the correction's look
    std::optional<fit::Model> model; ///< none: by cross-validation
    std::optional<Way> way;          ///< none: by cross-validation
    bool finished = false;           ///< the other's reading went through a picture style
    /// The lead's correction, where it has one: what it makes of colours that the chart lacks is then aimed at, too.
    std::shared_ptr<const fit::Correction> lead;
};
struct Match {
    fit::Correction correction; ///< of the other camera; what it `unseen` foretells is between both renderings
    Way way = Way::direct;
    fit::Statistics before; ///< between both renderings, the other's by its balance alone
    fit::Statistics fit, cross_validated;
    std::optional<Tone> tone;          ///< then the candidates and the patches left out are told without it
    std::vector<Candidate> candidates; ///< what each way takes, then its other models; best first
    Recipe recipe;                     ///< the same by hand
};
/// The hand-made way, and what it starts from.
struct ByHand {
    fit::Statistics before; ///< between both renderings, the other's by its balance alone
    Recipe recipe;
};
ByHand by_hand(const read::Reading& other, const chart::Reference& target, const chart::Definition* definition,
               const fit::Correction& match, const std::function<colour::Mat3(const balance::Balance&)>& own_colours);
/// Matches the other camera to `target`, the lead's rendering. `reference` may lack patches: without values there is
/// only the direct way. `other_xyz_from_balanced` is the other's own colours. Throws Error(input) when both show too
/// few patches.
Match match(const read::Reading& other, const chart::Reference& target, const chart::Reference& reference,
            const chart::Definition* definition,
            const std::function<colour::Mat3(const balance::Balance&)>& own_colours, const Settings& settings,
            std::stop_token stop = {});

/// One frame of an exposure series of one camera and mode.
struct Exposure {
    double stops = 0;  ///< against the key frame, by the greys
    double snr_db = 0; ///< of one pixel of green at the grey nearest to 20 %
    struct Drift {
        std::string patch;
        double delta_a = 0, delta_b = 0; ///< CIELAB, after levelling, against the key frame
    };
    std::vector<Drift> drift;
    double grey_delta_a = 0, grey_delta_b = 0; ///< mean drift of the greys
    std::string direction;                     ///< of the greys' drift: "to magenta"; empty where they stay
    double skin_noise = 0;                     ///< CIELAB a*b* of one pixel on the skins, levelled; 0 without skins
    std::vector<std::string> clipped;
    bool usable = false;
    std::string why; ///< not usable: clipped, noisy, drifted
};
/// What is usable is said by the limits "series noise" and "series drift". `own_colours` takes linear camera RGB,
/// balanced on the key frame's greys, to XYZ (D50). Throws Error(input) where the key frame's greys cannot be read.
std::vector<Exposure> series(const std::vector<read::Reading>& frames, std::size_t key,
                             const chart::Reference& reference, const chart::Definition* definition,
                             const std::function<colour::Mat3(const balance::Balance&)>& own_colours,
                             const inspect::Limits& limits);
/// Where a mode's recording ends below its last code, what should be brighter comes out alike: the lowest signal, of
/// any channel, at which patches of two exposures and more pile up so; none where nothing does, or where what does is
/// known to be clipped. The patches that reach it are marked as clipped.
std::optional<double> find_plateau(std::vector<read::Reading>& frames, std::size_t key);
/// Lowest and highest stops of the usable exposures about the key frame without a gap; none where the key is not.
std::optional<std::pair<double, double>> usable_stops(const std::vector<Exposure>& exposures, std::size_t key);

/// What one mode or camera makes of the chart by its balance alone.
struct ModeLook {
    std::optional<colour::Temperature> light;                   ///< that its neutrals show
    double skin_delta_e = 0, skin_hue_deg = 0, skin_chroma = 0; ///< CIELAB LCh of the skins' mean; 0 without skins
    double chroma_ratio = 1;                                    ///< of the colours, against their reference
    double snr_db = 0;
    fit::Statistics delta_e_2000;
};
ModeLook look_of(const read::Reading& reading, const chart::Reference& reference, const chart::Definition* definition,
                 const std::function<colour::Mat3(const balance::Balance&)>& own_colours);

/// A delivered picture against its master, by the chart that both show.
struct Delivered {
    struct Patch {
        std::string id;
        double delta_e_2000 = 0, lightness = 0, chroma = 0, hue_deg = 0; ///< delivered less master
    };
    std::vector<Patch> patches;
    fit::Statistics delta_e_2000;
    std::string words;
};
Delivered verify(const chart::Reference& master, const chart::Reference& delivered);

} // namespace refero::match
