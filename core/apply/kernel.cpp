// Vector code through Highway: compiled once for each kind of machine, chosen when it runs.
#include "apply/kernel.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "apply/kernel.cpp"
// Each target's code stands between these two headers' namespaces; the order matters.
// clang-format off
#include <hwy/foreach_target.h>
#include <hwy/highway.h>
#include <hwy/contrib/math/math-inl.h>
// clang-format on

#include "fit/radial.hpp"

HWY_BEFORE_NAMESPACE();
namespace refero::apply {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;
using Floats = hn::ScalableTag<float>;
using Whole = hn::RebindToSigned<Floats>;
using V = hn::Vec<Floats>;

constexpr Floats d;
constexpr Whole di;

/// Cube root of what is not below 0: a guess by the exponent, then twice Halley's step (cubic convergence).
V cube_root(V x) {
    // A third of the bits, about the bits of 1; the constant is from memory, the test shows what it comes to.
    const V bits = hn::ConvertTo(d, hn::BitCast(di, x));
    V y = hn::BitCast(d, hn::ConvertTo(di, hn::MulAdd(bits, hn::Set(d, 1.0f / 3), hn::Set(d, 709921077.0f))));
    for (int step = 0; step < 2; ++step) {
        const V cube = hn::Mul(y, hn::Mul(y, y));
        y = hn::Mul(y, hn::Div(hn::MulAdd(hn::Set(d, 2), x, cube), hn::MulAdd(hn::Set(d, 2), cube, x)));
    }
    return hn::IfThenElseZero(hn::Gt(x, hn::Zero(d)), y);
}

V on_curve(const CurveTable& table, V v) {
    if (table.value.empty()) return v;
    const auto size = static_cast<float>(table.value.size() - 1);
    // What is no number stands at 0: it must not become a place in the table.
    const V above = hn::IfThenElseZero(hn::Gt(v, hn::Zero(d)), v);
    const V at = hn::Min(hn::Mul(above, hn::Set(d, size / table.top)), hn::Set(d, size - 0.001f));
    const auto i = hn::ConvertTo(di, at);
    const V low = hn::GatherIndex(d, table.value.data(), i), high = hn::GatherIndex(d, table.value.data() + 1, i);
    V out = hn::MulAdd(hn::Sub(at, hn::ConvertTo(d, i)), hn::Sub(high, low), low);
    const V over =
        hn::MulAdd(hn::Set(d, table.above), hn::Sub(v, hn::Set(d, table.top)), hn::Set(d, table.value.back()));
    out = hn::IfThenElse(hn::Ge(v, hn::Set(d, table.top)), over, out);
    return hn::IfThenElse(hn::Gt(v, hn::Zero(d)), out, hn::Mul(v, hn::Set(d, table.below)));
}

/// What a model has beside the three channels, of light that is not below 0 (fit::features).
template<fit::Model model>
struct Extra;

template<>
struct Extra<fit::Model::matrix> {
    static constexpr std::size_t size = 0;
    static void of(V, V, V, V*) {}
};
template<>
struct Extra<fit::Model::spectral> {
    static constexpr std::size_t size = 7;
    static void of(V r, V g, V b, V* f) {
        const V mean = hn::Mul(hn::Add(hn::Add(r, g), b), hn::Set(d, 1.0f / 3));
        const V per = hn::Div(hn::Set(d, 1), hn::Add(mean, hn::Set(d, 1e-20f)));
        const V x = hn::MulSub(r, per, hn::Set(d, 1)), y = hn::MulSub(b, per, hn::Set(d, 1));
        const V mx = hn::Mul(mean, x), my = hn::Mul(mean, y);
        f[0] = hn::Mul(mx, x);
        f[1] = hn::Mul(mx, y);
        f[2] = hn::Mul(my, y);
        f[3] = hn::Mul(f[0], x);
        f[4] = hn::Mul(f[0], y);
        f[5] = hn::Mul(f[2], x);
        f[6] = hn::Mul(f[2], y);
    }
};
template<>
struct Extra<fit::Model::root_polynomial_2> {
    static constexpr std::size_t size = 3;
    static void of(V r, V g, V b, V* f) {
        f[0] = hn::Sqrt(hn::Mul(r, g));
        f[1] = hn::Sqrt(hn::Mul(g, b));
        f[2] = hn::Sqrt(hn::Mul(r, b));
    }
};
template<>
struct Extra<fit::Model::root_polynomial_3> {
    static constexpr std::size_t size = 10;
    static void of(V r, V g, V b, V* f) {
        Extra<fit::Model::root_polynomial_2>::of(r, g, b, f);
        const V cr = cube_root(r), cg = cube_root(g), cb = cube_root(b);
        const V rg = hn::Mul(cr, cg), gb = hn::Mul(cg, cb), rb = hn::Mul(cr, cb);
        f[3] = hn::Mul(rg, cg);
        f[4] = hn::Mul(gb, cb);
        f[5] = hn::Mul(rb, cb);
        f[6] = hn::Mul(rg, cr);
        f[7] = hn::Mul(gb, cg);
        f[8] = hn::Mul(rb, cr);
        f[9] = hn::Mul(rg, cb);
    }
};
template<>
struct Extra<fit::Model::lut> {
    static constexpr std::size_t size = fit::radial_centre_count;
    static void of(V r, V g, V b, V* f) {
        const V sum = hn::Add(hn::Add(r, g), b);
        const V per = hn::Div(hn::Set(d, 1), hn::Max(sum, hn::Set(d, 1e-20f)));
        const V x = hn::Mul(r, per), y = hn::Mul(b, per), third = hn::Mul(sum, hn::Set(d, 1.0f / 3));
        constexpr auto half_per_variance = static_cast<float>(-0.5 / (fit::radial_reach * fit::radial_reach));
        for (std::size_t k = 0; k < size; ++k) {
            const auto& c = fit::radial_centres()[k];
            const V dx = hn::Sub(x, hn::Set(d, static_cast<float>(c[0]))),
                    dy = hn::Sub(y, hn::Set(d, static_cast<float>(c[1])));
            const V bell = hn::Exp(d, hn::Mul(hn::MulAdd(dx, dx, hn::Mul(dy, dy)), hn::Set(d, half_per_variance)));
            f[k] = hn::Mul(third, hn::Sub(bell, hn::Set(d, static_cast<float>(fit::radial_at_neutral()[k]))));
        }
    }
};

/// One vector of pixels: balance, the fade of what is clipped, the model.
template<fit::Model model>
void correct_vector(const Kernel& kernel, V& r, V& g, V& b) {
    const V top = hn::Max(hn::Max(r, g), b);
    if (kernel.curved) {
        r = on_curve(kernel.curves[0], hn::Mul(r, hn::Set(d, kernel.gains[0])));
        g = on_curve(kernel.curves[1], hn::Mul(g, hn::Set(d, kernel.gains[1])));
        b = on_curve(kernel.curves[2], hn::Mul(b, hn::Set(d, kernel.gains[2])));
    } else {
        r = hn::Mul(r, hn::Set(d, kernel.gains[0]));
        g = hn::Mul(g, hn::Set(d, kernel.gains[1]));
        b = hn::Mul(b, hn::Set(d, kernel.gains[2]));
    }
    if (kernel.calm) {
        constexpr float begin = 0.985f, per_width = 1 / (0.998f - begin);
        const V t = hn::Min(hn::Max(hn::Mul(hn::Sub(top, hn::Set(d, begin)), hn::Set(d, per_width)), hn::Zero(d)),
                            hn::Set(d, 1));
        const V share = hn::Mul(hn::Mul(t, t), hn::NegMulAdd(hn::Set(d, 2), t, hn::Set(d, 3)));
        const V most = hn::Max(hn::Max(r, g), b);
        r = hn::MulAdd(share, hn::Sub(most, r), r);
        g = hn::MulAdd(share, hn::Sub(most, g), g);
        b = hn::MulAdd(share, hn::Sub(most, b), b);
    }
    constexpr std::size_t extra = Extra<model>::size, n = 3 + extra;
    V more[extra + 1];
    const V none = hn::Zero(d);
    Extra<model>::of(hn::Max(r, none), hn::Max(g, none), hn::Max(b, none), more);
    V out[3];
    for (std::size_t c = 0; c < 3; ++c) {
        const float* m = &kernel.coefficients[c * n];
        V sum = hn::Mul(hn::Set(d, m[0]), r);
        sum = hn::MulAdd(hn::Set(d, m[1]), g, sum);
        sum = hn::MulAdd(hn::Set(d, m[2]), b, sum);
        for (std::size_t k = 0; k < extra; ++k) sum = hn::MulAdd(hn::Set(d, m[3 + k]), more[k], sum);
        out[c] = sum;
    }
    r = out[0];
    g = out[1];
    b = out[2];
}

template<fit::Model model>
void correct_all(const Kernel& kernel, const float* in, std::size_t n, float* out) {
    const std::size_t lanes = hn::Lanes(d);
    V r, g, b;
    std::size_t i = 0;
    for (; i + lanes <= n; i += lanes) {
        hn::LoadInterleaved3(d, in + 3 * i, r, g, b);
        correct_vector<model>(kernel, r, g, b);
        hn::StoreInterleaved3(r, g, b, d, out + 3 * i);
    }
    if (i == n) return;
    HWY_ALIGN float rest[3 * hn::MaxLanes(d)] = {}; // the pixels left over, and nothing behind them
    std::copy(in + 3 * i, in + 3 * n, rest);
    hn::LoadInterleaved3(d, rest, r, g, b);
    correct_vector<model>(kernel, r, g, b);
    hn::StoreInterleaved3(r, g, b, d, rest);
    std::copy(rest, rest + 3 * (n - i), out + 3 * i);
}

void correct(const Kernel& kernel, const float* in, std::size_t n, float* out) {
    switch (kernel.model) {
    case fit::Model::diagonal:
    case fit::Model::matrix: return correct_all<fit::Model::matrix>(kernel, in, n, out);
    case fit::Model::spectral: return correct_all<fit::Model::spectral>(kernel, in, n, out);
    case fit::Model::root_polynomial_2: return correct_all<fit::Model::root_polynomial_2>(kernel, in, n, out);
    case fit::Model::root_polynomial_3: return correct_all<fit::Model::root_polynomial_3>(kernel, in, n, out);
    case fit::Model::lut: return correct_all<fit::Model::lut>(kernel, in, n, out);
    }
}

/// `table`: over the root of light, the last value twice; null: linear.
auto codes_of(const float* table, float size, float most, V light) {
    const V v = hn::Min(hn::IfThenElseZero(hn::Gt(light, hn::Zero(d)), light), hn::Set(d, 1)); // NaN is dark
    V code;
    if (table) {
        const V at = hn::Mul(hn::Sqrt(v), hn::Set(d, size));
        const auto i = hn::ConvertTo(di, at);
        const V low = hn::GatherIndex(d, table, i), high = hn::GatherIndex(d, table + 1, i);
        code = hn::MulAdd(hn::Sub(at, hn::ConvertTo(d, i)), hn::Sub(high, low), low);
    } else code = hn::Mul(v, hn::Set(d, most));
    return hn::ConvertTo(di, hn::Add(code, hn::Set(d, 0.5f)));
}

template<class T>
void encode_all(const float* table, float size, float most, const float* light, std::size_t n, T* codes) {
    const hn::Rebind<T, Whole> narrow;
    const std::size_t lanes = hn::Lanes(d);
    std::size_t i = 0;
    for (; i + lanes <= n; i += lanes)
        hn::StoreU(hn::DemoteTo(narrow, codes_of(table, size, most, hn::LoadU(d, light + i))), narrow, codes + i);
    if (i == n) return;
    HWY_ALIGN float rest[hn::MaxLanes(d)] = {};
    HWY_ALIGN T some[hn::MaxLanes(d)];
    std::copy(light + i, light + n, rest);
    hn::StoreU(hn::DemoteTo(narrow, codes_of(table, size, most, hn::LoadU(d, rest))), narrow, some);
    std::copy(some, some + (n - i), codes + i);
}

void encode_deep(const float* table, float size, float most, const float* light, std::size_t n, std::uint16_t* codes) {
    encode_all(table, size, most, light, n, codes);
}
void encode_shallow(const float* table, float size, float most, const float* light, std::size_t n,
                    std::uint8_t* codes) {
    encode_all(table, size, most, light, n, codes);
}

} // namespace HWY_NAMESPACE
} // namespace refero::apply
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace refero::apply {

HWY_EXPORT(correct);
HWY_EXPORT(encode_deep);
HWY_EXPORT(encode_shallow);

namespace {

constexpr int curve_steps = 1024;
constexpr int table_steps = 1 << 14; ///< of the root of light

} // namespace

CurveTable table_of(const balance::Curve& curve) {
    CurveTable t;
    if (curve.in.empty()) return t;
    t.top = static_cast<float>(curve.in.back());
    for (int i = 0; i <= curve_steps; ++i)
        t.value.push_back(static_cast<float>(curve(curve.in.back() * i / curve_steps)));
    t.below = static_cast<float>(-curve(-1));
    t.above = static_cast<float>(curve(curve.in.back() + 1) - curve.out.back());
    return t;
}

void correct_pixels(const Kernel& kernel, const float* in, std::size_t n, float* out) {
    HWY_DYNAMIC_DISPATCH(correct)(kernel, in, n, out);
}

Encoder::Encoder(colour::Transfer transfer, float most) : most_(most) {
    if (transfer == colour::Transfer::linear) return;
    for (int i = 0; i <= table_steps + 1; ++i) {
        const double root = static_cast<double>(i) / table_steps;
        table_.push_back(static_cast<float>(colour::encode(transfer, root * root)) * most);
    }
}

void Encoder::operator()(const float* light, std::size_t n, std::uint16_t* codes) const {
    HWY_DYNAMIC_DISPATCH(encode_deep)(table_.empty() ? nullptr : table_.data(), table_steps, most_, light, n, codes);
}

void Encoder::operator()(const float* light, std::size_t n, std::uint8_t* codes) const {
    HWY_DYNAMIC_DISPATCH(encode_shallow)(table_.empty() ? nullptr : table_.data(), table_steps, most_, light, n, codes);
}

} // namespace refero::apply
#endif
