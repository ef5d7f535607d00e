// What all verbs of the command line share.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "operations/handover/batch.hpp"

namespace refero::cli {

using Json = nlohmann::ordered_json;

/// Exit statuses of the contract.
enum Exit { done = 0, failed = 1, usage = 2, input = 3, not_found = 4, reshoot = 5 };
int exit_code_of(ErrorKind kind);

/// What a verb gives back: the JSON object, the same in words, and the exit status.
struct Result {
    Json json;
    std::string words;
    int status = done;
};

/// Files as they are named; of a folder all frames in it, by their names, but for what Refero wrote.
std::vector<std::filesystem::path> files_of(const std::vector<std::string>& named);

/// A failure that does not end the run: listed under "failed", and the first of them as the contract's "error". A write
/// that failed weighs more than a source that cannot be read.
void note_failure(Result& result, const std::string& what, const Error& problem);

/// A verb declares its options on its subcommand and returns what runs it.
using Run = std::function<Result()>;
Run add_find(CLI::App& app);
Run add_read(CLI::App& app);
Run add_inspect(CLI::App& app);
Run add_fit(CLI::App& app);
Run add_prove(CLI::App& app);
Run add_apply(CLI::App& app);
Run add_plate(CLI::App& app);
Run add_export(CLI::App& app);
Run add_curve(CLI::App& app);
Run add_simulate(CLI::App& app);
Run add_charts(CLI::App& app);
Run add_job(CLI::App& app);
Run add_balance(CLI::App& app);
Run add_teach(CLI::App& app);
Run add_match(CLI::App& app);
Run add_series(CLI::App& app);
Run add_compare(CLI::App& app);
Run add_verify(CLI::App& app);
Run add_monitor(CLI::App& app);
Run add_unpack(CLI::App& app);

/// Options that choose the chart and the encoding, shared by several verbs.
struct ShotArguments {
    std::string chart, corners, encoding;
    double clip_code = 1; ///< see frame::ReadOptions
    double at = -1;       ///< of a still in a clip, s; below 0: where the chart is found
    void add_chart(CLI::App& app) {
        app.add_option("--chart", chart, "Chart: id of an installed definition, or a definition file");
    }
    void add_corners(CLI::App& app) {
        app.add_option("--corners", corners,
                       "\"x,y x,y x,y x,y\": outer corners, top-left, top-right, bottom-right, bottom-left");
    }
    void add_encoding(CLI::App& app) {
        app.add_option("--encoding", encoding, "linear srgb bt709 hlg pq acescct, or a 1D LUT file");
        app.add_option(
               "--clip-code", clip_code,
               "Of pictures and clips: code value, 0 to 1, from which on all is clipped, where whites end below "
               "the last code")
            ->check(CLI::Range(0.05, 1.0));
    }
    void add_at(CLI::App& app) {
        app.add_option("--at", at, "Of a clip: the still at so many seconds; default: the first that shows the chart")
            ->check(CLI::NonNegativeNumber);
    }
    operations::ShotOptions options() const;
    /// The frame to measure in, of a clip the still that is told or shows the chart.
    frame::Frame frame(const std::string& image) const;
};

/// Which stills of clips: one, or all from one second to another; of a sequence all.
struct RangeArguments {
    double from = -1, to = -1;
    void add(CLI::App& app, ShotArguments& shot);
    /// Throws Error(usage) for a range without a beginning.
    void check() const;
    /// Of other files the file itself; `at`: the one still, below 0 the first. Throws Error(input).
    /// `as_clips`: the range as one, to be written as a clip.
    std::vector<operations::FrameSource> stills_of(const std::filesystem::path& file, const ShotArguments& shot,
                                                   bool as_clips = false) const;
};

/// What every verb that writes has: nothing that exists is replaced unasked, and an input never.
struct Outputs {
    bool overwrite = false;
    void add(CLI::App& app) { app.add_flag("--overwrite", overwrite, "Replace files that exist"); }
    /// Throws Error(usage). Empty names are passed over; `inputs` may be names of installed things that are no files.
    void check(const std::vector<std::filesystem::path>& outputs,
               const std::vector<std::filesystem::path>& inputs) const;
    Existing existing() const { return overwrite ? Existing::replace : Existing::refuse; }
};

/// How frames are developed, of the verbs that do it.
struct DevelopArguments {
    std::string format = "tiff", space, container, depth, gamut = "clip", parts, exposure = "auto";
    bool resume = false, may_follow_region = false; ///< a job may have marked one
    int jobs = 0;
    double white_luminance = 0;
    void add(CLI::App& app);
    /// Throws Error(usage).
    operations::DevelopOptions options(const Outputs& outputs) const;
};
/// Checks all outputs, then works through them and reports; `written` is called for each that is done, one at a time.
void work_through(std::vector<operations::BatchFrame> frames, const std::vector<std::filesystem::path>& inputs,
                  const std::filesystem::path& folder, const DevelopArguments& how, const Outputs& outputs,
                  Result& result,
                  const std::function<void(const operations::BatchFrame&, const operations::Developed&)>& written,
                  const std::function<void(const operations::BatchFrame&)>& left_out = {});
/// One line for whoever watches: to standard output, with --json to standard error.
void say(const std::string& line);
void say_to_errors(bool on);

/// A look for corrections of a verb: an option.
struct LookArgument {
    std::string look;
    void add(CLI::App& app) {
        app.add_option("--look", look,
                       "A look after the correction in place of its own: one that Refero kept (JSON), a LUT or a CDL "
                       "on display codes, or none");
    }
    /// The correction with it. Throws Error(input).
    fit::Correction on(fit::Correction correction) const;
};

Json json_of(const fit::Statistics& s);
Json json_of(const chart::Corners& corners);

} // namespace refero::cli
