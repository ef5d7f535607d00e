#include <OpenColorIO/OpenColorIO.h>

#include "base/brief.hpp"
#include "frame/frame.hpp"
#include "frame/lut_values.hpp"

namespace refero::frame {

namespace ocio = OCIO_NAMESPACE;

Encoding::Encoding(colour::Transfer transfer)
    : Encoding(std::string(colour::name_of(transfer)),
               [transfer](int, double v) { return colour::decode(transfer, v); }) {}

Encoding::Encoding(std::string name, std::function<double(int, double)> decode)
    : name_(std::move(name)),
      decode_(std::move(decode)) {}

Encoding Encoding::named(const std::string& name_or_file) {
    if (!std::filesystem::is_regular_file(name_or_file)) return Encoding(colour::transfer_named(name_or_file));
    try {
        ocio::ClearAllCaches(); // it knows files by their names, and this one may have changed
        const auto transform = ocio::FileTransform::Create();
        transform->setSrc(name_or_file.c_str());
        transform->setInterpolation(ocio::INTERP_LINEAR);
        const auto processor = ocio::Config::CreateRaw()->getProcessor(transform);
        if (processor->hasChannelCrosstalk())
            throw Error(ErrorKind::input, "this LUT mixes the channels", name_or_file,
                        "Give a 1D LUT for the encoding");
        check_values(processor, name_or_file);
        const auto cpu = processor->getDefaultCPUProcessor();
        return {name_or_file, [cpu](int channel, double v) {
                    float rgb[3] = {static_cast<float>(v), static_cast<float>(v), static_cast<float>(v)};
                    cpu->applyRGB(rgb);
                    return static_cast<double>(rgb[channel]);
                }};
    } catch (const ocio::Exception& problem) {
        throw Error(ErrorKind::input, "this LUT cannot be read: " + in_brief(problem.what()), name_or_file,
                    "Name an encoding or a 1D LUT file");
    }
}

} // namespace refero::frame
