// Pictures and charts as nobody would make them: they are read and hold no chart, or are refused with file and remedy.
#include <OpenImageIO/imageio.h>

#include "chart/chart.hpp"
#include "find/find.hpp"
#include "support.hpp"

using namespace refero;
using namespace refero::test;

namespace {

fs::path picture(const fs::path& file, int width, int height, int channels, OIIO::TypeDesc type,
                 const std::function<float(int, int, int)>& value,
                 const std::map<std::string, std::string>& attributes = {}) {
    OIIO::ImageSpec spec(width, height, channels, type);
    for (const auto& [name, text] : attributes) {
        if (name == "oiio:BitsPerSample") spec.attribute(name, std::stoi(text));
        else spec.attribute(name, text);
    }
    std::vector<float> pixels;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            for (int c = 0; c < channels; ++c) pixels.push_back(value(x, y, c));
    const auto out = OIIO::ImageOutput::create(file.string());
    EXPECT_TRUE(out && out->open(file.string(), spec) && out->write_image(OIIO::TypeDesc::FLOAT, pixels.data()) &&
                out->close())
        << file << (out ? out->geterror() : "");
    return file;
}

const std::vector<chart::Definition>& charts() {
    static const std::vector<chart::Definition> all = chart::installed();
    return all;
}

/// Charts found in a picture that holds none; 0 where it is refused as it should be.
std::size_t found_in(const fs::path& file) {
    try {
        return find::locate(frame::read(file), charts()).size();
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input) << e.what();
        EXPECT_EQ(e.file(), file);
        EXPECT_FALSE(e.remedy().empty()) << e.what();
        return 0;
    }
}

constexpr auto flat = [](float v) { return [v](int, int, int) { return v; }; };

} // namespace

TEST(Hostile, tiny_and_endless_pictures) {
    const Scratch s;
    EXPECT_EQ(found_in(picture(s / "one.png", 1, 1, 3, OIIO::TypeDesc::UINT8, flat(0.5))), 0u);
    EXPECT_EQ(
        found_in(picture(s / "line.tif", 60000, 1, 3, OIIO::TypeDesc::UINT8,
                         [](int x, int, int c) { return static_cast<float>((x / 7 * 31 + c * 50) % 256) / 255; })),
        0u);
    EXPECT_EQ(found_in(picture(s / "strip.tif", 60000, 20, 3, OIIO::TypeDesc::UINT8,
                               [](int x, int y, int c) {
                                   return static_cast<float>((x / 7 * 31 + y / 7 * 13 + c * 50) % 256) / 255;
                               })),
              0u);
    EXPECT_EQ(found_in(picture(s / "column.png", 1, 9000, 3, OIIO::TypeDesc::UINT8, flat(0.2))), 0u);
}

TEST(Hostile, black_white_and_one_bit) {
    const Scratch s;
    EXPECT_EQ(found_in(picture(s / "black.png", 640, 400, 3, OIIO::TypeDesc::UINT8, flat(0))), 0u);
    EXPECT_EQ(found_in(picture(s / "white.png", 640, 400, 3, OIIO::TypeDesc::UINT8, flat(1))), 0u);
    EXPECT_EQ(found_in(picture(s / "bits.tif", 640, 400, 1, OIIO::TypeDesc::UINT8,
                               [](int x, int y, int) { return (x / 40 + y / 40) % 2 ? 1.0f : 0.0f; },
                               {{"oiio:BitsPerSample", "1"}})),
              0u);
}

TEST(Hostile, values_that_are_no_numbers) {
    const Scratch s;
    EXPECT_EQ(found_in(picture(s / "nan.exr", 640, 400, 3, OIIO::TypeDesc::FLOAT, flat(NAN))), 0u);
    EXPECT_EQ(found_in(picture(s / "infinite.exr", 640, 400, 3, OIIO::TypeDesc::FLOAT, flat(INFINITY))), 0u);
    const auto mixed = [](int x, int y, int c) {
        return (x * 7 + y * 13 + c) % 5 == 0 ? NAN
               : (x + y) % 11 == 0           ? -INFINITY
                                             : static_cast<float>((x / 40 + y / 40 + c) % 3) / 2;
    };
    EXPECT_EQ(found_in(picture(s / "mixed.exr", 640, 400, 3, OIIO::TypeDesc::FLOAT, mixed)), 0u);
}

// A chart is found with its frame's alpha, and with some pixels that are no numbers.
TEST(Hostile, alpha_and_bad_pixels_do_not_hide_a_chart) {
    const Scratch s;
    const auto rendering = simulate::render(simulate::parse_scene(scene_text({}), "test"));
    const int width = rendering.scene.width, height = rendering.scene.height;
    const auto at = [&](int x, int y, int c) {
        return rendering
            .rgb[(static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)) * 3 +
                 static_cast<std::size_t>(c)];
    };
    const auto alpha = picture(s / "alpha.exr", width, height, 4, OIIO::TypeDesc::HALF,
                               [&](int x, int y, int c) { return c == 3 ? 1.0f : at(x, y, c); });
    const auto bad = picture(s / "bad.exr", width, height, 3, OIIO::TypeDesc::FLOAT,
                             [&](int x, int y, int c) { return (x * 31 + y * 17) % 9973 == 0 ? NAN : at(x, y, c); });
    for (const fs::path& file : {alpha, bad}) {
        const auto found = find::locate(frame::read(file), {chart::find_definition("grid24")});
        ASSERT_EQ(found.size(), 1u) << file;
        EXPECT_EQ(found[0].chart, "grid24");
    }
}

TEST(Hostile, inks_one_channel_and_many_are_refused_or_read) {
    const Scratch s;
    EXPECT_EQ(found_in(picture(s / "grey.png", 320, 200, 1, OIIO::TypeDesc::UINT8, flat(0.5))), 0u);
    EXPECT_EQ(found_in(picture(s / "two.tif", 320, 200, 2, OIIO::TypeDesc::UINT8, flat(0.5))), 0u);
    EXPECT_EQ(found_in(picture(s / "seven.tif", 320, 200, 7, OIIO::TypeDesc::UINT8, flat(0.5))), 0u);
    const auto inks = picture(s / "inks.tif", 320, 200, 4, OIIO::TypeDesc::UINT8, flat(0.5),
                              {{"tiff:ColorSpace", "CMYK"}, {"oiio:ColorSpace", "CMYK"}});
    EXPECT_EQ(found_in(inks), 0u);
}

TEST(Hostile, files_cut_short_are_refused) {
    const Scratch s;
    const auto noisy = [](int x, int y, int c) {
        return static_cast<float>((x * 7919 + y * 104729 + c * 31) % 256) / 255;
    };
    for (const char* name : {"cut.png", "cut.tif", "cut.jpg", "cut.exr"}) {
        const fs::path file =
            picture(s / name, 400, 300, 3,
                    std::string(name) == "cut.exr" ? OIIO::TypeDesc::HALF : OIIO::TypeDesc::UINT8, noisy);
        for (const double share : {0.5, 0.05, 0.0005}) {
            fs::resize_file(file, static_cast<std::uintmax_t>(share * static_cast<double>(fs::file_size(file))));
            EXPECT_THROW(frame::read(file), Error) << name << " " << share;
            EXPECT_EQ(found_in(file), 0u) << name;
        }
    }
    EXPECT_THROW(frame::read(written(s / "words.tif", "these are words")), Error);
    EXPECT_THROW(frame::read(written(s / "words.dng", "these are words")), Error);
}

TEST(Hostile, chart_definitions) {
    const Scratch s;
    const auto refused = [&](const std::string& patches, const std::string& part) {
        const fs::path file =
            written(s / "chart.json", R"({"refero_chart":1,"id":"x","size_mm":[100,100],"patches":[)" + patches + "]}");
        try {
            chart::load_definition(file);
            ADD_FAILURE() << "accepted: " << patches.substr(0, 80);
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input);
            EXPECT_EQ(e.file(), file);
            EXPECT_NE(e.message().find(part), std::string::npos) << e.message();
            EXPECT_FALSE(e.remedy().empty());
        }
    };
    refused("", "no \"patches\"");
    refused(R"({"id":"A1","rect_mm":[0,0,60,60]},{"id":"A2","rect_mm":[50,50,40,40]})", "A1 and A2 overlap");
    refused(R"({"id":"A1","rect_mm":[0,0,0,60]})", "no area");
    refused(R"({"id":"A1","rect_mm":[90,0,60,60]})", "outside");
    std::string many;
    for (int i = 0; i < 5000; ++i)
        many += formatted("{}{{\"id\":\"P{}\",\"rect_mm\":[{:g},{:g},0.5,0.5]}}", i ? "," : "", i, i % 100 * 1.0,
                          i / 100 * 1.0);
    refused(many, "more than 2000 patches");
    // As many as may be, in a frame that shows nothing of it.
    chart::Definition large = chart::grid(50, 40, 4, 4, 0.5, 0.5);
    large.id = large.title = "large";
    chart::Reference reference;
    for (std::size_t i = 0; i < large.patches.size(); ++i)
        reference.xyz[large.patches[i].id] = colour::xyz_from_lab(
            {20.0 + static_cast<double>(i % 70), static_cast<double>(i % 60) - 30, static_cast<double>(i % 50) - 25});
    large = chart::save_definition(large, reference, s / "large.json");
    const auto rendering = simulate::render(simulate::parse_scene(scene_text({}), "test"));
    simulate::write(rendering, s / "frame.tif");
    EXPECT_TRUE(find::locate(frame::read(s / "frame.tif"), {large}).empty());
}

// Phones write position tags without a value (EXIF 2.32, 4.6.6); such a picture is read like any other.
TEST(Hostile, tags_without_a_value) {
    const Scratch s;
    const fs::path file = picture(s / "a.jpg", 64, 48, 3, OIIO::TypeDesc::UINT8, flat(0.4f));
    std::string jpeg = read_file(file), tiff("II*\0\x08\0\0\0", 8);
    const auto number = [&](std::uint32_t v, int bytes) {
        for (int i = 0; i < bytes; ++i) tiff += static_cast<char>(v >> 8 * i & 0xff);
    };
    const auto entry = [&](std::uint32_t tag, std::uint32_t type, std::uint32_t count, std::uint32_t value) {
        number(tag, 2);
        number(type, 2);
        number(count, 4);
        number(value, 4);
    };
    constexpr std::uint32_t of_bytes = 1, text = 2, of_short = 3, of_long = 4, rational = 5,
                            shot_at = 8 + 2 + 3 * 12 + 4, position_at = shot_at + 2 + 12 + 4,
                            height_at = position_at + 2 + 6 * 12 + 4;
    number(3, 2);
    entry(0x0112, of_short, 0, 0); // orientation
    entry(0x8769, of_long, 1, shot_at);
    entry(0x8825, of_long, 1, position_at);
    number(0, 4);
    number(1, 2);
    entry(0x9209, of_short, 0, 0); // flash
    number(0, 4);
    number(6, 2);
    entry(1, text, 1, 0);
    entry(2, rational, 0, 0);
    entry(3, text, 1, 0);
    entry(4, rational, 0, 0);
    entry(5, of_bytes, 0, 0); // whether above or below the sea
    entry(6, rational, 1, height_at);
    number(0, 4);
    number(12, 4);
    number(1, 4);
    const std::string segment = std::string("Exif\0\0", 6) + tiff;
    const std::size_t size = segment.size() + 2;
    jpeg.insert(2,
                std::string("\xff\xe1", 2) + static_cast<char>(size >> 8) + static_cast<char>(size & 0xff) + segment);
    written(file, jpeg);
    const frame::Frame f = frame::read(file);
    EXPECT_EQ(f.width, 64);
    EXPECT_FALSE(f.metadata.flash);
}
