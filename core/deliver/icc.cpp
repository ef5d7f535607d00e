// ICC input profile, matrix and tone curves (ICC.1:2001-04, version 2.4: the most widely read).
#include <lcms2.h>

#include "deliver/internal.hpp"

namespace refero::deliver {

std::vector<unsigned char> icc_bytes(const fit::Correction& c, const Options& o) {
    const colour::Transfer input = colour::transfer_named(o.input_encoding.empty() ? "linear" : o.input_encoding);
    cmsHPROFILE profile = cmsCreateProfilePlaceholder(nullptr);
    cmsSetProfileVersion(profile, 2.4);
    cmsSetDeviceClass(profile, cmsSigInputClass);
    cmsSetColorSpace(profile, cmsSigRgbData);
    cmsSetPCS(profile, cmsSigXYZData);
    cmsMLU* text = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(text, "en", "US", o.name.c_str());
    cmsWriteTag(profile, cmsSigProfileDescriptionTag, text);
    cmsMLUsetASCII(text, "en", "US", "Made with Refero; free to use");
    cmsWriteTag(profile, cmsSigCopyrightTag, text);
    cmsWriteTag(profile, cmsSigMediaWhitePointTag, cmsD50_XYZ());
    cmsToneCurve* curve = nullptr;
    if (input == colour::Transfer::linear) {
        curve = cmsBuildGamma(nullptr, 1);
    } else {
        std::vector<float> samples(4096);
        for (std::size_t i = 0; i < samples.size(); ++i) samples[i] = static_cast<float>(colour::decode(input, static_cast<double>(i) / 4095));
        curve = cmsBuildTabulatedToneCurveFloat(nullptr, 4096, samples.data());
    }
    const colour::Mat3 m = xyz_from_camera(c);
    const cmsTagSignature colorants[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag};
    const cmsTagSignature curves[] = {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag};
    for (int k = 0; k < 3; ++k) {
        const cmsCIEXYZ xyz{m(0, k), m(1, k), m(2, k)};
        cmsWriteTag(profile, colorants[k], &xyz);
        cmsWriteTag(profile, curves[k], curve);
    }
    cmsUInt32Number size = 0;
    std::vector<unsigned char> bytes;
    if (cmsSaveProfileToMem(profile, nullptr, &size)) {
        bytes.resize(size);
        cmsSaveProfileToMem(profile, bytes.data(), &size);
    }
    cmsMLUfree(text);
    cmsFreeToneCurve(curve);
    cmsCloseProfile(profile);
    if (bytes.empty()) throw Error(ErrorKind::internal, "the ICC profile could not be made");
    return bytes;
}

} // namespace refero::deliver
