#include "frame/module.hpp"

#include <cmath>
#include <map>
#include <mutex>

#include <dlfcn.h>

#include "frame/clip.hpp"
#include "frame/internal/readers.hpp"
#include "frame/sequence.hpp"
#include "frame/timecode.hpp"

namespace refero::frame {

namespace fs = std::filesystem;

void* module_symbol(const std::string& module, const char* name) {
    static std::mutex one_at_a_time;
    static std::map<std::string, void*> loaded;
    const std::lock_guard guard(one_at_a_time);
    void*& handle = loaded[module];
    if (!handle) {
        Dl_info here{};
        dladdr(reinterpret_cast<const void*>(&module_symbol), &here);
        const fs::path file = fs::path(here.dli_fname).parent_path() / "refero" / (module + ".so");
        handle = dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
        if (!handle) {
            const char* why = dlerror();
            throw Error(ErrorKind::internal, std::string("a part of Refero cannot be loaded: ") + (why ? why : ""),
                        file, "Install Refero again");
        }
    }
    void* symbol = dlsym(handle, name);
    if (!symbol)
        throw Error(ErrorKind::internal, "the module " + module + " lacks " + name, {}, "Install Refero again");
    return symbol;
}

Frame read_raster(const fs::path& file, const ReadOptions& options, const std::stop_token& stop) {
    static auto* const call = from_module<decltype(refero_read_raster)>("pictures", "refero_read_raster");
    return call(file, options, stop);
}

Metadata describe_raster(const fs::path& file) {
    static auto* const call = from_module<decltype(refero_describe_raster)>("pictures", "refero_describe_raster");
    return call(file);
}

namespace {

void describe(const Clip& clip, double shown_s, Metadata& m) {
    m.make = clip.make;
    m.model = clip.model;
    m.taken = clip.taken;
    m.reel = clip.reel;
    m.frames_per_second = clip.frames_per_second;
    m.timecode = timecode_after(clip.timecode, m.frames_per_second, std::lround(shown_s * m.frames_per_second));
}

} // namespace

ClipReader::ClipReader(const fs::path& file) {
    if (is_sequence_name(file)) {
        open_.reset(open_sequence(file));
        return;
    }
    std::error_code ec;
    if (!fs::is_regular_file(file, ec)) throw Error(ErrorKind::input, "there is no such file", file, "Check the path");
    static auto* const open = from_module<decltype(refero_open_clip)>("clips", "refero_open_clip");
    open_.reset(open(file));
}

ClipReader::~ClipReader() = default;

const Clip& ClipReader::clip() const { return open_->clip(); }

double ClipReader::shown_s() const { return open_->shown_s(); }

ClipReader::Kept ClipReader::keep() const {
    return [kept = open_->keep(), clip = clip(), at = shown_s()](const StillOptions& options,
                                                                 const std::stop_token& stop) {
        Frame f = kept(options, stop);
        describe(clip, at, f.metadata);
        return f;
    };
}

void ClipReader::look_among(Among pictures) { open_->look_among(pictures); }

Frame ClipReader::still(double position_s, const StillOptions& options, const std::stop_token& stop) {
    Frame f = open_->still(position_s, options, stop);
    describe(clip(), shown_s(), f.metadata);
    return f;
}

std::optional<Frame> ClipReader::next(const StillOptions& options, const std::stop_token& stop) {
    std::optional<Frame> f = open_->next(options, stop);
    if (f) describe(clip(), shown_s(), f->metadata);
    return f;
}

Clip read_clip(const fs::path& file) { return ClipReader(file).clip(); }

Frame read_still(const fs::path& file, const ReadOptions& options, const std::stop_token& stop) {
    return ClipReader(file).still(options.position_s, {options.encoding, options.clip_code}, stop);
}

} // namespace refero::frame
