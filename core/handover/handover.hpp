// Handover files: what other programs read.
#pragma once

#include <algorithm>
#include <functional>
#include <memory>

#include "fit/fit.hpp"

namespace refero::handover {

struct Options {
    std::string input_encoding; ///< of the camera RGB that goes in, name or 1D LUT file; empty: the format's usual one,
                                ///< for LUTs the one that the reading was decoded with, else srgb
    std::string space;          ///< LUTs: what comes out, with its encoding; empty: bt709 for video modes, else srgb
    int icc_version = 2;        ///< 2 or 4
    int size = 33;              ///< cube: nodes along each side, 2 to 129
    std::string name;           ///< title in the file; empty: camera and light
    std::string sentence;       ///< what it is for, kept in the file where the format has room; empty: sentence_of
    std::string camera_model;   ///< dcp: UniqueCameraModel, what the program that reads it calls the camera; empty: the
                                ///< frame's own, else its camera's name
    std::shared_ptr<const fit::Correction>
        second; ///< dcp: the same camera under another light; programs interpolate between both by its temperature
};

/// What was written: a format that cannot hold the correction's model holds the best it can, refitted.
struct Written {
    fit::Model model = fit::Model::matrix;
    std::string held; ///< what it holds where that is none of our models, "cdl"; else empty
    std::string model_name() const { return held.empty() ? fit::name_of(model) : held; }
    fit::Statistics delta_e_2000;                  ///< of the written model on the patches it was fitted to
    std::string message;                           ///< in words
    std::string sentence = {};                     ///< what it is for
    std::vector<std::filesystem::path> files = {}; ///< of a folder: what was written in it, below it
};

/// What a format may be asked for.
enum class Option { input_encoding, space, size, second, icc_version, camera_model };

/// A handover format: one row of the table, one source in formats/. Command line, window and guide are fed from it.
struct Format {
    std::string id;        ///< "cube"
    std::string title;     ///< "3D LUT"
    std::string extension; ///< ".cube"
    std::string what;      ///< for whom it is and what it holds, in sentences
    std::string next; ///< what to do once it is where a program looks; "{model}" and "{encoding}" stand for the file's
    /// `nothing`: what stands before or behind a correction.
    enum class Holds { any_model, matrix, nothing } holds = Holds::any_model;
    bool finish = false; ///< holds what is done after the correction
    bool look = false;   ///< holds the look after that
    bool curves = false; ///< holds the greys' curves
    bool folder = false; ///< what is written is a folder ...
    /// ... and this is the file whose being there means that it is there.
    std::filesystem::path first_of(const std::filesystem::path& output) const {
        return folder ? output / "config.ocio" : output;
    }
    int order = 0; ///< in lists
    std::vector<Option> options;
    std::string input_encoding; ///< the usual one; empty: it is not asked
    /// Gets a correction that the format can hold, and options with a name. May change what is said to be held.
    std::function<void(const fit::Correction& held, const fit::Correction& asked, const std::filesystem::path& file,
                       const Options& options, Written& written)>
        write;
    bool has(Option option) const { return std::find(options.begin(), options.end(), option) != options.end(); }
};
/// In the order in which they are offered.
const std::vector<Format>& formats();
/// Throws Error(usage) listing the formats of this version.
const Format& format_named(const std::string& id);

/// What a LUT of this correction expects and gives unless it is told: the encoding that the reading was decoded with,
/// srgb for raw files and readings; bt709 for video modes, else srgb.
std::string usual_encoding(const fit::Correction& correction);
std::string usual_space(const fit::Correction& correction);

/// Any way from camera RGB to XYZ (D50) as a cube; `what` says in the file what it is.
void write_cube(const std::function<colour::Vec3(const colour::Vec3&)>& rendering, const std::string& what,
                const std::filesystem::path& file, const Options& options);

/// Writes one file, whole or not at all. Throws Error(usage) for options that do not fit.
Written write(const fit::Correction& correction, const std::string& format, const std::filesystem::path& file,
              const Options& options = {});

/// What stands between a neutral plate and the picture: scene-linear light of one space to codes of another, through
/// the correction's finish and look; Common LUT Format. Throws Error(usage) for a space that is not linear.
void write_display_curve(const fit::Correction& correction, const std::string& scene, const std::string& display,
                         const std::filesystem::path& file);

/// A DNG camera profile as bytes, and its name: what copies of DNG files take in. `options`: second, name,
/// camera_model.
std::pair<std::vector<unsigned char>, std::string> camera_profile(const fit::Correction& correction, Options options);
/// UniqueCameraModel of the frames that it was fitted on, else their camera's name.
std::string camera_model_of(const fit::Correction& correction);

/// What a file is for and how long it holds: "For log clips of Cine B under LED panel, before any look; expects
/// acescct; holds until the light is changed." `options`: input_encoding.
std::string sentence_of(const fit::Correction& correction, const Format& format, const Options& options);

/// "Stills A, 50 mm, Window, 2026-05-04": camera, lens where the file names one, light, and the day of the chart shot.
std::string title_of(const fit::Correction& correction);

} // namespace refero::handover
