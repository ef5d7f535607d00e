// Charts taught from a picture: geometry against the simulator's own truth, and found in other frames afterwards.
#include "find/teach.hpp"
#include "support.hpp"

namespace refero {
namespace {

using test::frame_of;
using test::Scratch;

/// A card of a grid with gaps, greys in its last row, and a bar below if `bar`.
chart::Definition card(const Scratch& folder, int columns, int rows, double w, double h, double gap, bool bar) {
    chart::Definition d = chart::grid(columns, rows, w, h, gap, gap);
    d.id = d.title = "card";
    chart::Reference reference;
    for (int i = 0; i < columns * rows; ++i) {
        chart::Patch& p = d.patches[static_cast<std::size_t>(i)];
        const bool grey = i >= columns * (rows - 1);
        p.role = grey ? "neutral" : "other";
        const double grey_l = 95 - 75.0 * (i - columns * (rows - 1)) / (columns - 1);
        reference.xyz[p.id] = colour::xyz_from_lab(
            grey ? colour::Vec3(grey_l, 0, 0) : colour::Vec3(28 + i * 37 % 61, i * 29 % 71 - 35, i * 43 % 79 - 39));
    }
    if (bar) {
        d.patches.push_back({"bar1", 0, d.height_mm + gap, d.width_mm * 0.6, 0.7 * h, "other"});
        reference.xyz["bar1"] = colour::xyz_from_lab({40, 0, 0});
        d.height_mm += gap + 0.7 * h;
    }
    return chart::save_definition(d, reference, folder / "card.json");
}

simulate::Rendering shown(const chart::Definition& d, const std::string& how) {
    return simulate::render(simulate::parse_scene(
        R"({"refero_scene":1,"size":[1500,1000],"camera":"stills-b","light":"window","background":{"surface":[35,4,8],"texture":0.12,"texture_px":8},"charts":[{"id":")" +
            d.file.string() + R"(",)" + how + "}]}",
        "scene"));
}

/// Corners moved outwards by a share of the card's size, as a hand places them.
chart::Corners about(const chart::Corners& q, double share) {
    const chart::Point middle = (q[0] + q[1] + q[2] + q[3]) / 4;
    chart::Corners out = q;
    for (chart::Point& p : out) p += share * (p - middle);
    return out;
}

void expect_taught(int columns, int rows, double w, double h, double gap, bool bar, const std::string& how) {
    const Scratch folder;
    const chart::Definition truth = card(folder, columns, rows, w, h, gap, bar);
    const auto r = shown(truth, how);
    const find::Taught t = find::teach(frame_of(r), about(r.charts[0].corners, 0.06), truth.width_mm);
    EXPECT_EQ(t.columns, columns);
    EXPECT_EQ(t.rows, rows);
    EXPECT_EQ(t.bars, bar ? 1 : 0);
    ASSERT_EQ(t.definition.patches.size(), truth.patches.size());
    const double pitch = w + gap;
    int neutral = 0, neutral_right = 0;
    for (const chart::Patch& p : truth.patches) {
        const int at = t.definition.index_of(p.id);
        ASSERT_GE(at, 0) << p.id;
        const chart::Patch& q = t.definition.patches[static_cast<std::size_t>(at)];
        for (const double off :
             {q.x_mm - p.x_mm, q.y_mm - p.y_mm, q.x_mm + q.w_mm - p.x_mm - p.w_mm, q.y_mm + q.h_mm - p.y_mm - p.h_mm})
            EXPECT_LT(std::abs(off), 0.02 * pitch) << p.id << " of pitch " << pitch;
        if (p.role != "neutral") continue;
        ++neutral;
        neutral_right += q.role == "neutral";
    }
    EXPECT_GE(neutral_right, neutral - 2); // the darkest drown
    // It is found by itself in another frame, by what the picture showed of it.
    chart::Definition own = t.definition;
    own.id = own.title = "taught";
    own = chart::save_definition(own, t.reference, folder / "taught.json");
    const auto other = shown(truth, R"("at":[0.45,0.55],"width":0.4,"rotation_deg":200,"tilt_deg":22)");
    const auto found = find::locate(frame_of(other), {own, test::grid24()});
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].chart, "taught");
    for (std::size_t i = 0; i < 4; ++i)
        EXPECT_LT((found[0].corners[i] - other.charts[0].corners[i]).norm(), 0.06 * 600 / columns) << i;
}

TEST(Teach, a_card_of_seven_by_five_with_gaps) {
    expect_taught(7, 5, 16, 12, 3, false, R"("at":[0.5,0.5],"width":0.6,"rotation_deg":3,"tilt_deg":8)");
}

TEST(Teach, a_card_of_twelve_by_ten_with_a_bar) {
    expect_taught(12, 10, 9, 9, 2, true, R"("at":[0.5,0.5],"width":0.6,"rotation_deg":-4,"tilt_deg":6)");
}

TEST(Teach, a_card_lying_on_its_side_is_read_as_the_corners_say) {
    expect_taught(7, 5, 16, 12, 3, true, R"("at":[0.5,0.5],"width":0.4,"rotation_deg":92,"tilt_deg":4)");
}

TEST(Teach, a_card_turned_any_way) {
    expect_taught(12, 10, 9, 9, 2, true, R"("at":[0.46,0.5],"width":0.37,"rotation_deg":-143,"tilt_deg":5)");
    expect_taught(7, 5, 16, 12, 3, true, R"("at":[0.48,0.5],"width":0.41,"rotation_deg":-69,"tilt_deg":15)");
    expect_taught(7, 5, 16, 12, 3, true, R"("at":[0.46,0.5],"width":0.51,"rotation_deg":116,"tilt_deg":16)");
}

TEST(Teach, where_there_is_no_card_it_says_so) {
    const Scratch folder;
    const auto r = shown(card(folder, 7, 5, 16, 12, 3, false), R"("at":[0.3,0.5],"width":0.2)");
    const chart::Corners empty{chart::Point(1100, 100), chart::Point(1400, 100), chart::Point(1400, 400),
                               chart::Point(1100, 400)};
    try {
        const chart::Corners narrow{chart::Point(1100, 100), chart::Point(1102, 100), chart::Point(1102, 900),
                                    chart::Point(1100, 900)};
        EXPECT_THROW(find::teach(frame_of(r), narrow), Error);
        find::teach(frame_of(r), empty);
        FAIL() << "taught something";
    } catch (const Error& e) { EXPECT_NE(std::string(e.what()).find("no patches"), std::string::npos) << e.what(); }
}

// A balance page: rows of different pitch and count, bars, and a row without gaps.
TEST(Teach, rows_of_different_pitch_bars_and_patches_without_gaps) {
    const Scratch folder;
    chart::Definition d;
    chart::Reference reference;
    d.id = d.title = "page";
    d.width_mm = 144;
    const auto row = [&](char letter, int count, double y, double w, double h, double gap) {
        for (int i = 0; i < count; ++i) {
            const std::string id = letter + std::to_string(i + 1);
            const int n = i + 7 * (letter - 'A');
            d.patches.push_back({id, i * (w + gap), y, w, h, letter == 'D' ? "neutral" : "other"});
            reference.xyz[id] = colour::xyz_from_lab(
                letter == 'D' ? colour::Vec3(94 - 8.0 * i, 0, 0)
                              : colour::Vec3(30 + n * 37 % 58, n * 29 % 71 - 35, n * 43 % 79 - 39));
        }
        d.height_mm = y + h;
    };
    row('A', 6, 0, 20, 20, 4.8);
    row('B', 9, 26, 12, 14, 4.5);
    row('C', 3, 46, 44, 12, 6);
    row('D', 8, 64, 18, 18, 0);
    const chart::Definition truth = chart::save_definition(d, reference, folder / "page.json");
    for (const char* how :
         {R"("at":[0.5,0.5],"width":0.6)", R"("at":[0.48,0.52],"width":0.5,"rotation_deg":14,"tilt_deg":12)"}) {
        const auto r = shown(truth, how);
        const find::Taught t = find::teach(frame_of(r), about(r.charts[0].corners, 0.03), truth.width_mm);
        ASSERT_EQ(t.definition.patches.size(), truth.patches.size()) << how;
        EXPECT_EQ(t.rows, 4);
        for (const chart::Patch& p : truth.patches) {
            const int at = t.definition.index_of(p.id);
            ASSERT_GE(at, 0) << p.id;
            const chart::Patch& q = t.definition.patches[static_cast<std::size_t>(at)];
            for (const double off : {q.x_mm - p.x_mm, q.y_mm - p.y_mm, q.x_mm + q.w_mm - p.x_mm - p.w_mm,
                                     q.y_mm + q.h_mm - p.y_mm - p.h_mm})
                EXPECT_LT(std::abs(off), 1.0) << p.id << " " << how; // corners by hand are as exact as the hand
        }
        chart::Definition own = t.definition;
        own.id = own.title = "taught";
        EXPECT_NO_THROW(own = chart::save_definition(own, t.reference, folder / "taught.json"));
        const auto other = shown(truth, R"("at":[0.45,0.55],"width":0.5,"rotation_deg":160,"tilt_deg":10)");
        test::measured("a card of rows of different pitch, taught, is found by itself in %d of 1",
                       static_cast<int>(find::locate(frame_of(other), {own}).size()));
    }
}

} // namespace
} // namespace refero
