// A job: the cameras and lights of a shoot, and the setups that join them.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/base.hpp"

namespace refero::job {

struct Camera {
    std::string name, lens, mode; ///< mode: recording mode, as the user calls it
};
struct Light {
    std::string name, place;
};

/// Camera + lens + recording mode + light: what one correction holds for.
struct Setup {
    std::size_t camera = 0, light = 0;         ///< indices into the job's lists
    std::filesystem::path chart_shot;          ///< empty: not shot yet
    std::vector<std::filesystem::path> frames; ///< ordinary frames
};

struct Job {
    std::string title;
    std::vector<Camera> cameras;
    std::vector<Light> lights;
    std::vector<Setup> setups;

    /// The setup of a camera and a light, or -1.
    int setup_at(std::size_t camera, std::size_t light) const;
};

/// A frame that the simulator makes for the demo job.
struct DemoFrame {
    std::filesystem::path scene;   ///< scene description
    std::string changes;           ///< JSON merge patch for it
    std::filesystem::path file;    ///< where the frame belongs
};
struct Demo {
    Job job;
    std::vector<DemoFrame> frames; ///< those of the job, chart shots first
};

/// Reads the demo's description (docs/formats.md); its frames belong into `folder`. Throws Error(input).
Demo load_demo(const std::filesystem::path& description, const std::filesystem::path& folder);
/// Renders and writes one frame; one that exists is left alone. With a `cache` folder the rendered file is kept
/// there under a name that stands for its description, and copied when it is wanted again.
void make(const DemoFrame& frame, const std::filesystem::path& cache = {}, std::stop_token stop = {});

} // namespace refero::job
