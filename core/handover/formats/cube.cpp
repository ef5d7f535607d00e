// 3D LUT as .cube text: red runs fastest, one node a line.
#include <cmath>
#include <random>

#include <Eigen/LU>
#include <Eigen/Sparse>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

using colour::Vec3;
using Rendering = std::function<Vec3(const Vec3&)>;

// The whole way of one colour: code in, linear camera RGB, correction, output space, code out. Not clipped.
class Path {
public:
    Path(Rendering rendering, const Options& o)
        : rendering_(std::move(rendering)),
          input_(frame::Encoding::named(o.input_encoding.empty() ? "srgb" : o.input_encoding)),
          output_(colour::rgb_space(o.space.empty() ? "srgb" : o.space).transfer),
          from_xyz_(colour::rgb_space(o.space.empty() ? "srgb" : o.space).to_xyz_d50().inverse()) {}
    Vec3 operator()(const Vec3& code) const {
        const Vec3 rgb(input_.decode(0, code[0]), input_.decode(1, code[1]), input_.decode(2, code[2]));
        const Vec3 out = from_xyz_ * rendering_(rgb);
        return {colour::encode(output_, out[0]), colour::encode(output_, out[1]), colour::encode(output_, out[2])};
    }

private:
    Rendering rendering_;
    frame::Encoding input_;
    colour::Transfer output_;
    colour::Mat3 from_xyz_;
};

std::vector<Vec3> nodes_of(const Path& path, int n) {
    std::vector<Vec3> nodes;
    nodes.reserve(static_cast<std::size_t>(n) * n * n);
    const double step = 1.0 / (n - 1);
    for (int b = 0; b < n; ++b)
        for (int g = 0; g < n; ++g)
            for (int r = 0; r < n; ++r) nodes.push_back(path({r * step, g * step, b * step}));
    return nodes;
}

/// The first node of the cell that a code lies in, and where in it, 0 to 1.
struct Cell {
    Eigen::Vector3i node;
    Vec3 within;
};
Cell cell_of(const Vec3& code, int n) {
    Cell cell;
    for (int c = 0; c < 3; ++c) {
        const double at = std::clamp(code[c], 0.0, 1.0) * (n - 1);
        cell.node[c] = std::min(static_cast<int>(at), n - 2);
        cell.within[c] = at - cell.node[c];
    }
    return cell;
}

Vec3 trilinear(const std::vector<Vec3>& nodes, int n, const Vec3& code) {
    const auto [i, t] = cell_of(code, n);
    const auto node = [&, &i = i](int r, int g, int b) -> const Vec3& {
        return nodes[(static_cast<std::size_t>(i[2] + b) * n + (i[1] + g)) * n + (i[0] + r)];
    };
    Vec3 sum = Vec3::Zero();
    for (int k = 0; k < 8; ++k) {
        const int r = k & 1, g = k >> 1 & 1, b = k >> 2;
        sum += (r ? t[0] : 1 - t[0]) * (g ? t[1] : 1 - t[1]) * (b ? t[2] : 1 - t[2]) * node(r, g, b);
    }
    return sum;
}

/// The four nodes about a code and their shares: tetrahedral interpolation (Kasson, Plouffe and Nin 1993).
struct Corner {
    std::size_t node;
    double share;
};
std::array<Corner, 4> tetrahedron(const Vec3& code, int n) {
    const auto [i, t] = cell_of(code, n);
    std::array<int, 3> order{0, 1, 2};
    std::sort(order.begin(), order.end(), [&, &t = t](int a, int b) { return t[a] > t[b]; });
    Eigen::Vector3i corner = i;
    std::array<Corner, 4> all;
    double before = 1;
    for (std::size_t k = 0; k < 4; ++k) {
        const double next = k < 3 ? t[order[k]] : 0;
        all[k] = {(static_cast<std::size_t>(corner[2]) * n + corner[1]) * n + corner[0], before - next};
        before = next;
        if (k < 3) ++corner[order[k]];
    }
    return all;
}

/// Nodes moved so that plausible colours come out right between them: least squares, held to what they were sampled at.
void refine(std::vector<Vec3>& nodes, int n, const Path& path, const std::vector<Vec3>& codes) {
    constexpr double held = 0.1; // chosen on simulated cameras ///< weight of each node's own value beside a colour's
    std::vector<Eigen::Triplet<double>> shares;
    std::vector<Vec3> off; // of the nodes as they were sampled
    for (const Vec3& code : codes) {
        const Vec3 want = path(code);
        // Beyond the output's range everybody clips: there is nothing to mend.
        if (want.minCoeff() < 0 || want.maxCoeff() > 1) continue;
        Vec3 made = Vec3::Zero();
        for (const Corner& c : tetrahedron(code, n)) {
            made += c.share * nodes[c.node];
            if (c.share > 0) shares.emplace_back(static_cast<int>(off.size()), static_cast<int>(c.node), c.share);
        }
        off.push_back(want - made);
    }
    if (off.empty()) return;
    Eigen::SparseMatrix<double> a(static_cast<int>(off.size()), static_cast<int>(nodes.size()));
    a.setFromTriplets(shares.begin(), shares.end());
    Eigen::SparseMatrix<double> normal = a.transpose() * a;
    Eigen::SparseMatrix<double> hold(normal.rows(), normal.cols());
    hold.setIdentity();
    normal += held * hold;
    Eigen::ConjugateGradient<Eigen::SparseMatrix<double>, Eigen::Lower | Eigen::Upper> solver;
    solver.setTolerance(1e-6);
    solver.compute(normal);
    for (int c = 0; c < 3; ++c) {
        Eigen::VectorXd right(static_cast<Eigen::Index>(off.size()));
        for (std::size_t i = 0; i < off.size(); ++i) right[static_cast<Eigen::Index>(i)] = off[i][c];
        const Eigen::VectorXd moved = solver.solve(a.transpose() * right);
        for (std::size_t i = 0; i < nodes.size(); ++i) nodes[i][c] += moved[static_cast<Eigen::Index>(i)];
    }
}

// Mean and largest error between the nodes, in output code values, on colours spread evenly over the cube.
std::string error_between_nodes(const Path& path, int n) {
    const auto nodes = nodes_of(path, n);
    std::mt19937 random(20240501);
    const auto uniform = [&] { return random() * 0x1p-32; };
    double sum = 0, largest = 0;
    constexpr int points = 20000;
    for (int i = 0; i < points; ++i) {
        const Vec3 code(uniform(), uniform(), uniform());
        const double e = (trilinear(nodes, n, code) - path(code)).cwiseAbs().maxCoeff();
        sum += e;
        largest = std::max(largest, e);
    }
    return formatted("# Error between nodes at {} points (code values): mean {:.6f}, largest {:.6f}\n", n, sum / points,
                     largest);
}

/// Nodes by least squares on plausible colours of the camera, camera RGB; none: as sampled. `neutral` is camera RGB.
std::vector<Vec3> refined_nodes(const Path& path, const Options& o, const std::vector<Vec3>& colours,
                                const Vec3& neutral) {
    std::vector<Vec3> nodes = nodes_of(path, o.size);
    if (!colours.empty()) {
        const frame::Encoding input = frame::Encoding::named(o.input_encoding.empty() ? "srgb" : o.input_encoding);
        std::vector<Vec3> codes;
        for (const Vec3& light : colours)
            for (const double exposure : {1.0, 0.75, 0.5, 0.35, 0.25, 0.17, 0.12, 0.08}) {
                Vec3 code;
                for (int c = 0; c < 3; ++c) code[c] = code_of(input, c, exposure * std::max(0.0, light[c]));
                codes.push_back(code);
            }
        // Greys count more, and black stays black.
        constexpr int times = 8, steps = 40;
        for (int i = 0; i <= steps; ++i) {
            Vec3 code;
            const double light = std::pow(static_cast<double>(i) / steps, 3);
            for (int c = 0; c < 3; ++c) code[c] = code_of(input, c, light * neutral[c]);
            codes.insert(codes.end(), i ? times : 50 * times, code);
        }
        refine(nodes, o.size, path, codes);
    }
    return nodes;
}

std::string cube_of(const Rendering& rendering, const std::string& what, const Options& o,
                    const std::vector<Vec3>& colours = {}, const Vec3& neutral = Vec3::Ones()) {
    if (o.size < 2 || o.size > 129)
        throw Error(ErrorKind::usage, "a cube has 2 to 129 nodes along each side", {}, "Choose 17, 33 or 65");
    const Path path(rendering, o);
    const std::string encoding = o.input_encoding.empty() ? "srgb" : o.input_encoding;
    std::string text = "# Refero " + std::string(program_version()) + "\n# In: camera RGB, encoding " + encoding +
                       ". Out: " + (o.space.empty() ? "srgb" : o.space) + "\n";
    for (const std::string& words : {o.sentence, what})
        if (!words.empty()) text += "# " + words + "\n";
    text += error_between_nodes(path, 33) + error_between_nodes(path, 65);
    std::string title = o.name;
    std::replace(title.begin(), title.end(), '"', '\'');
    text += "TITLE \"" + title + "\"\nLUT_3D_SIZE " + std::to_string(o.size) + "\n";
    const std::vector<Vec3> nodes = refined_nodes(path, o, colours, neutral);
    for (const Vec3& v : nodes) { text += formatted("{:.7f} {:.7f} {:.7f}\n", v[0], v[1], v[2]); }
    return text;
}

} // namespace

static std::string cube_text(const fit::Correction& c, const Options& given) {
    Options o = given;
    o.input_encoding = input_of(given, c).name();
    o.space = space_of(given, c).name;
    std::string what = look::in_words(c.finish);
    if (!c.look.empty()) what += (what.empty() ? "" : "; ") + look::in_words(c.look);
    if (!what.empty()) what = "After the correction: " + what;
    std::replace(what.begin(), what.end(), '\n', ' ');
    return cube_of(shown_by(c), what, o, fit::plausible_colours(c),
                   (c.balance.exposure * c.balance.gains).cwiseInverse());
}

std::vector<Vec3> cube_nodes(const fit::Correction& c, const Options& given) {
    Options o = given;
    o.input_encoding = input_of(given, c).name();
    o.space = space_of(given, c).name;
    return refined_nodes(Path(shown_by(c), o), o, fit::plausible_colours(c),
                         (c.balance.exposure * c.balance.gains).cwiseInverse());
}

void write_cube(const Rendering& rendering, const std::string& what, const std::filesystem::path& file,
                const Options& o) {
    write_whole(file, cube_of(rendering, what, o));
}

Format cube_format() {
    return {
        .id = "cube",
        .title = "3D LUT",
        .extension = ".cube",
        .what =
            "For video and grading: camera RGB in a known encoding goes in, a finished colour space comes out. Holds "
            "any model; its error between nodes stands in the file.",
        .next = "Choose it for frames recorded as {encoding}; programs that list the folder are started again.",
        .finish = true,
        .look = true,
        .curves = true,
        .order = 1,
        .options = {Option::input_encoding, Option::space, Option::size},
        .input_encoding = "srgb",
        .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                    const Options& options, Written&) { write_whole(file, cube_text(held, options)); }};
}

Format look_format() {
    return {.id = "look",
            .title = "Look alone",
            .extension = "-look.cube",
            .what =
                "For programs that put the look on by themselves, after the correction: a 3D LUT from display codes "
                "to display codes of the same space.",
            .next = "Choose it after the correction, where pictures are already in this space.",
            .holds = Format::Holds::nothing,
            .finish = true,
            .look = true,
            .curves = true,
            .order = 13,
            .options = {Option::space, Option::size},
            .write = [](const fit::Correction&, const fit::Correction& c, const std::filesystem::path& file,
                        const Options& options, Written& w) {
                if (c.look.empty())
                    throw Error(ErrorKind::usage, "this correction has no look", file, "Draw or choose one first");
                const colour::RgbSpace& space = space_of(options, c);
                Options o = options;
                o.space = space.name;
                o.input_encoding = colour::name_of(space.transfer);
                write_cube([&c, to_xyz = space.to_xyz_d50()](
                               const Vec3& rgb) { return look::looked_xyz(c.look, to_xyz * rgb); },
                           "The look alone: " + look::in_words(c.look), file, o);
                w.message = "the look alone, on codes of " + space.name;
            }};
}

} // namespace refero::handover
