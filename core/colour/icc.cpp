#include "colour/icc.hpp"

#include <algorithm>
#include <iterator>

#include <lcms2.h>

#include "base/base.hpp"

namespace refero::colour {

std::vector<unsigned char> icc_profile(IccClass kind, const Mat3& to_xyz_d50, Transfer transfer,
                                       const std::string& title, const std::string& copyright, int version) {
    cmsHPROFILE profile = cmsCreateProfilePlaceholder(nullptr);
    cmsSetProfileVersion(profile, version == 4 ? 4.3 : 2.4);
    cmsSetDeviceClass(profile, kind == IccClass::input ? cmsSigInputClass : cmsSigDisplayClass);
    cmsSetColorSpace(profile, cmsSigRgbData);
    cmsSetPCS(profile, cmsSigXYZData);
    cmsMLU* text = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(text, "en", "US", title.c_str());
    cmsWriteTag(profile, cmsSigProfileDescriptionTag, text);
    cmsMLUsetASCII(text, "en", "US", copyright.c_str());
    cmsWriteTag(profile, cmsSigCopyrightTag, text);
    cmsWriteTag(profile, cmsSigMediaWhitePointTag, cmsD50_XYZ());
    if (version == 4) { // the colorants are relative to D50 already
        const cmsCIEXYZ unit[3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
        cmsWriteTag(profile, cmsSigChromaticAdaptationTag, unit);
    }
    cmsToneCurve* curve = nullptr;
    if (transfer == Transfer::linear) {
        curve = cmsBuildGamma(nullptr, 1);
    } else {
        std::vector<float> samples(4096);
        for (std::size_t i = 0; i < samples.size(); ++i)
            samples[i] = static_cast<float>(decode(transfer, static_cast<double>(i) / 4095));
        curve = cmsBuildTabulatedToneCurveFloat(nullptr, 4096, samples.data());
    }
    const cmsTagSignature colorants[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag};
    const cmsTagSignature curves[] = {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag};
    for (int k = 0; k < 3; ++k) {
        const cmsCIEXYZ xyz{to_xyz_d50(0, k), to_xyz_d50(1, k), to_xyz_d50(2, k)};
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
    if (bytes.empty()) throw Error(ErrorKind::internal, "the ICC profile '" + title + "' could not be made");
    // The header's time of making (ICC.1, 7.2.8): one day for all, so that a picture developed twice is the same file.
    constexpr unsigned char made[12] = {0x07, 0xEA, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0};
    std::copy(std::begin(made), std::end(made), bytes.begin() + 24);
    return bytes;
}

} // namespace refero::colour
