// Pictures through the profile of the screen, and marks of clipping on them.
#include <lcms2.h>

#include "job_window.hpp"
#include "model/pictures/screen_colour.hpp"

namespace refero::app {
namespace {

/// A display whose red and green are swapped, sRGB's curves; made by lcms2.
QByteArray swapped_profile() {
    const cmsCIExyY white{0.3127, 0.3290, 1};
    const cmsCIExyYTRIPLE primaries{{0.30, 0.60, 1}, {0.64, 0.33, 1}, {0.15, 0.06, 1}};
    cmsToneCurve* gamma = cmsBuildGamma(nullptr, 2.2);
    cmsToneCurve* curves[] = {gamma, gamma, gamma};
    cmsHPROFILE p = cmsCreateRGBProfile(&white, &primaries, curves);
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(p, nullptr, &size);
    QByteArray bytes(static_cast<qsizetype>(size), 0);
    cmsSaveProfileToMem(p, bytes.data(), &size);
    cmsCloseProfile(p);
    cmsFreeToneCurve(gamma);
    return bytes;
}

struct ScreenWalk : JobWindow {
    ~ScreenWalk() override { ScreenColour::now().use({}, {}); }
    /// The code in the middle of a picture of one colour.
    QRgb middle(PictureView& view) { return view.grab().toImage().pixel(view.width() / 2, view.height() / 2); }
};

} // namespace

TEST_F(ScreenWalk, a_profile_changes_what_is_drawn_as_lcms2_says) {
    PictureView view;
    view.resize(300, 200);
    Rendition r = grey_picture(150, 100, 2, 0);
    QImage image(150, 100, QImage::Format_RGB32);
    image.fill(QColor(200, 90, 40));
    r.levels = {image};
    view.set_picture(r);
    view.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&view));
    EXPECT_EQ(middle(view), qRgb(200, 90, 40));
    EXPECT_TRUE(ScreenColour::now().name().startsWith("sRGB"));
    const QByteArray profile = swapped_profile();
    ScreenColour::now().use(profile, "Swapped");
    EXPECT_EQ(ScreenColour::now().name(), "Swapped");
    // The same by lcms2 alone.
    cmsHPROFILE srgb = cmsCreate_sRGBProfile(),
                screen = cmsOpenProfileFromMem(profile.constData(), static_cast<cmsUInt32Number>(profile.size()));
    cmsHTRANSFORM t = cmsCreateTransform(srgb, TYPE_RGB_8, screen, TYPE_RGB_8, INTENT_RELATIVE_COLORIMETRIC,
                                         cmsFLAGS_BLACKPOINTCOMPENSATION);
    const unsigned char in[3] = {200, 90, 40};
    unsigned char out[3];
    cmsDoTransform(t, in, out, 1);
    cmsDeleteTransform(t);
    cmsCloseProfile(srgb);
    cmsCloseProfile(screen);
    const QRgb seen = middle(view);
    EXPECT_NEAR(qRed(seen), out[0], 1);
    EXPECT_NEAR(qGreen(seen), out[1], 1);
    EXPECT_NEAR(qBlue(seen), out[2], 1);
    EXPECT_GT(qGreen(seen), qRed(seen)); // the primaries are swapped
    ScreenColour::now().use({}, {});
    EXPECT_EQ(middle(view), qRgb(200, 90, 40));
}

TEST_F(ScreenWalk, a_broken_profile_is_refused_in_words_and_the_one_before_stays) {
    ScreenColour::now().use(swapped_profile(), "Swapped");
    try {
        ScreenColour::now().use("this is no profile", "Broken");
        FAIL();
    } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find("none of an RGB display"), std::string::npos) << e.what();
    }
    EXPECT_EQ(ScreenColour::now().name(), "Swapped");
}

// The kit's monitor is known by the screen's identity; its profile is used as soon as it is written.
TEST_F(ScreenWalk, the_kits_monitor_of_this_screen_gives_its_profile) {
    const QScreen* screen = window.screen();
    shoot::Change c("Monitor", "x");
    std::ofstream(scratch / "m.icc", std::ios::binary) << swapped_profile().toStdString();
    c.add(shoot::MonitorRecord{
        .name = "Desk", .screen = identity_of(screen).toStdString(), .profile = (scratch / "m.icc").string()});
    desk().kit.change(c);
    ASSERT_TRUE(wait_for([&] { return ScreenColour::now().name() == "Desk"; }));
    EXPECT_EQ(window.findChild<QLabel*>("screenName")->text(), "screen: Desk, never checked");
    // Where colour is judged it is said, too.
    plan_shoot({"Stills A"}, {"Window"});
    window.open_setup(id(0));
    for (const Step step : {Step::correction, Step::proof}) {
        window.setup_view()->choose(step);
        const auto* line = window.setup_view()->page()->findChild<QLabel*>("dueLine");
        ASSERT_TRUE(line && line->isVisible());
        EXPECT_TRUE(line->text().contains("never checked")) << line->text().toStdString();
    }
    // A damaged file is told, and nothing changes.
    shoot::MonitorRecord m = desk().kit.kit().monitors.front();
    m.profile = test::written(scratch / "bad.icc", "no").string();
    desk().kit.change(shoot::put("bad", m));
    EXPECT_TRUE(notice().contains("none of an RGB display")) << notice().toStdString();
    EXPECT_EQ(ScreenColour::now().name(), "Desk");
}

// Shares against a count done here: one channel of the input clipped in a quarter, the output out of range in another.
TEST_F(ScreenWalk, clipping_is_marked_and_counted) {
    frame::Frame f;
    f.width = f.full_width = 80;
    f.height = f.full_height = 40;
    f.rgb.assign(80 * 40 * 3, 0.4f);
    f.clipped.assign(80 * 40, 0);
    apply::Picture p{80, 40, std::vector<float>(80 * 40 * 3, 0.5f), "srgb"};
    int input = 0, output = 0;
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 80; ++x) {
            const auto at = static_cast<std::size_t>(y * 80 + x);
            if (x < 20) {
                f.clipped[at] = 1; // red
                ++input;
            }
            if (x >= 60) {
                p.rgb[3 * at + 2] = -0.1f; // blue
                ++output;
            }
        }
    const Rendition r = rendition_of(p, f);
    EXPECT_DOUBLE_EQ(r.clipped[0], input / 3200.0);
    EXPECT_DOUBLE_EQ(r.clipped[1], 0);
    EXPECT_DOUBLE_EQ(r.clipped[5], output / 3200.0);
    PictureView view;
    view.resize(320, 160);
    view.set_picture(r);
    view.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&view));
    const auto marked = [&](int from, int to) {
        const QImage seen = view.grab().toImage();
        int n = 0;
        for (int y = 20; y < 80; ++y)
            for (int x = from; x < to; ++x) n += seen.pixel(x, y) == qRgb(255, 255, 255);
        return n;
    };
    EXPECT_EQ(marked(10, 70), 0);
    view.mark_clipping(true);
    EXPECT_GT(marked(10, 70), 100);  // lines
    EXPECT_EQ(marked(110, 210), 0);  // nothing there
    EXPECT_GT(marked(260, 310), 40); // dots
    EXPECT_LT(marked(260, 310), marked(20, 70)) << "dots are fewer than lines";
}

// The three ways in: the middle one and the card's lead to a setup each.
TEST_F(ScreenWalk, the_start_page_offers_the_ways_that_people_have) {
    for (const char* name : {"newJobButton", "openFrameButton", "openCardButton"})
        EXPECT_TRUE(window.findChild<QPushButton*>(name)->isVisible()) << name;
    photograph(window, "start");
    auto scene = simulate::parse_scene(test::scene_text({.width = 900, .height = 600}), "card");
    scene.charts.clear();
    simulate::write(simulate::render(scene), card / "card.dng");
    desk().frames.take_card(card / "card.dng");
    ASSERT_TRUE(idle());
    ASSERT_EQ(desk().chains.count(), 1);
    const Chain& c = desk().chains.at(id(0));
    EXPECT_TRUE(c.balance_only());
    ASSERT_TRUE(wait_for([&] {
        return window.setup_view()->isVisible() && window.setup_view()->page()->picture() &&
               window.setup_view()->page()->picture()->picking();
    })) << c.problem; // it asks for a click
}

} // namespace refero::app
