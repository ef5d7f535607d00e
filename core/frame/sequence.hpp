// Numbered pictures that are one recording: "take.####.exr" stands for all of them, as a clip does.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace refero::frame {

/// A run of pictures without a gap, in the order of their numbers.
struct Sequence {
    std::filesystem::path pattern; ///< a "#" for each digit of the shortest number
    std::vector<std::filesystem::path> files;
};

/// True for a name that stands for numbered pictures, "take.####.exr" or "take.%04d.exr", and is no file itself.
bool is_sequence_name(const std::filesystem::path& name);
/// Its pictures, in the order of their numbers, whether or not some are missing.
std::vector<std::filesystem::path> files_of_sequence(const std::filesystem::path& name);
/// Throws Error(input) where there are none, and where one is missing between them.
Sequence sequence_named(const std::filesystem::path& name);
/// True where there is such a file, or a first picture of such a sequence.
bool is_there(const std::filesystem::path& name);

/// SHA-256 of a file; of a sequence that of its names, sizes and first picture. Throws Error(input).
std::string content_hash(const std::filesystem::path& name);

/// True for a file of the folder and name that `sequence` stands for.
bool is_part_of(const std::filesystem::path& file, const std::filesystem::path& sequence);
/// The sequence that an EXR or DPX file with a number would belong to, by its own digits; empty for others.
std::filesystem::path run_of(const std::filesystem::path& file);
/// Runs of EXR or DPX files that are long enough for a recording give way to the name of their sequence, where its
/// first one stood.
std::vector<std::filesystem::path> gathered(const std::vector<std::filesystem::path>& files);

} // namespace refero::frame
