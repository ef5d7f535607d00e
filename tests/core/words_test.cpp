// First sentences of pages: short, whole, and without a word that only the field knows.
#include "words/words.hpp"

#include <sstream>

#include "support.hpp"

namespace refero::words {
namespace {

TEST(Words, every_first_sentence_is_short_and_plain) {
    const auto sentences = all();
    EXPECT_GT(sentences.size(), 30u);
    for (const std::string& text : sentences) {
        std::istringstream in(text);
        int words = 0, longest = 0, n = 0;
        for (std::string word; in >> word; ++words) {
            ++n;
            if (word.ends_with('.')) {
                longest = std::max(longest, n);
                n = 0;
            }
        }
        EXPECT_EQ(n, 0) << "it ends in a full stop: " << text;
        EXPECT_LE(longest, 20) << text;
        for (const char* term : {"CIE", "Duv", "ΔE", "cross", "matrix", "residual", "mired", "gamut", "chroma", "RGB"})
            EXPECT_EQ(text.find(term), std::string::npos) << text;
    }
}

// Bands: Mokrzycki, Tatol, "Colour difference Delta E - a survey", Machine Graphics & Vision 20(4), 2011 (limits from
// memory): to 1 not seen, to 2 by the experienced, to 3.5 by anybody, beyond that a clear difference.
TEST(Words, bands_follow_what_people_see) {
    EXPECT_EQ(band_of(0.9), Band::unseen);
    EXPECT_EQ(band_of(1.9), Band::close);
    EXPECT_EQ(band_of(3.4), Band::near);
    EXPECT_EQ(band_of(5.1), Band::off);
    EXPECT_NE(accuracy(0.5), accuracy(1.5));
}

TEST(Words, each_state_of_a_shot_says_what_to_do) {
    using inspect::Status;
    EXPECT_NE(shot({}).find("Photograph the chart"), std::string::npos);
    EXPECT_NE(shot({.card = true}).find("the card"), std::string::npos);
    EXPECT_NE(shot({.there = true}).find("corners"), std::string::npos);
    EXPECT_NE(shot({.there = true, .found = true, .verdict = Status::reshoot}).find("again"), std::string::npos);
    EXPECT_NE(shot({.there = true, .found = true, .refused = true, .verdict = Status::pass}).find("again"),
              std::string::npos);
    EXPECT_NE(shot({.there = true, .found = true, .verdict = Status::pass}).find("good"), std::string::npos);
}

} // namespace
} // namespace refero::words
