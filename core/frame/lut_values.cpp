#include "frame/lut_values.hpp"

#include <array>
#include <vector>

#include "base/base.hpp"

namespace refero::frame {

namespace ocio = OCIO_NAMESPACE;

namespace {

class Check {
public:
    explicit Check(std::filesystem::path file) : file_(std::move(file)) {}

    void look_at(const ocio::ConstTransformRcPtr& t) {
        if (const auto group = ocio::DynamicPtrCast<const ocio::GroupTransform>(t)) {
            for (int i = 0; i < group->getNumTransforms(); ++i) look_at(group->getTransform(i));
        } else if (const auto lut1 = ocio::DynamicPtrCast<const ocio::Lut1DTransform>(t)) {
            for (unsigned long i = 0; i < lut1->getLength(); ++i) {
                std::array<float, 3> v{};
                lut1->getValue(i, v[0], v[1], v[2]);
                numbers(v, "an entry of its table");
            }
        } else if (const auto lut3 = ocio::DynamicPtrCast<const ocio::Lut3DTransform>(t)) {
            const unsigned long n = lut3->getGridSize();
            for (unsigned long r = 0; r < n; ++r)
                for (unsigned long g = 0; g < n; ++g)
                    for (unsigned long b = 0; b < n; ++b) {
                        std::array<float, 3> v{};
                        lut3->getValue(r, g, b, v[0], v[1], v[2]);
                        numbers(v, "a node of its grid");
                    }
        } else if (const auto matrix = ocio::DynamicPtrCast<const ocio::MatrixTransform>(t)) {
            std::array<double, 16> m{};
            std::array<double, 4> offset{};
            matrix->getMatrix(m.data());
            matrix->getOffset(offset.data());
            numbers(m, "a number of its matrix");
            numbers(offset, "an offset");
        } else if (const auto cdl = ocio::DynamicPtrCast<const ocio::CDLTransform>(t)) {
            std::array<double, 9> sop{};
            cdl->getSOP(sop.data());
            numbers(sop, "slope, offset or power");
            numbers(std::array{cdl->getSat()}, "the saturation");
        }
    }

    template<class Numbers>
    void numbers(const Numbers& all, const char* what) const {
        for (const auto v : all)
            if (!is_reasonable(static_cast<double>(v)))
                throw Error(ErrorKind::input, formatted("{} cannot be: {:g}", what, static_cast<double>(v)), file_,
                            "Export the file again, or use another one");
    }

private:
    std::filesystem::path file_;
};

} // namespace

void check_values(const ocio::ConstProcessorRcPtr& processor, const std::filesystem::path& file) {
    Check check(file);
    check.look_at(processor->createGroupTransform());
    // What is none of these kinds: by what it makes of codes.
    const auto cpu = processor->getDefaultCPUProcessor();
    constexpr int steps = 8;
    for (int r = 0; r <= steps; ++r)
        for (int g = 0; g <= steps; ++g)
            for (int b = 0; b <= steps; ++b) {
                std::array<float, 3> v{};
                v = {static_cast<float>(r) / steps, static_cast<float>(g) / steps, static_cast<float>(b) / steps};
                cpu->applyRGB(v.data());
                check.numbers(v, "what it makes of a code");
            }
}

} // namespace refero::frame
