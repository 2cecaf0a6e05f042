// Which microphones a mix would miss.
#include "core/report/mic_report.h"

#include "core/session/bleed.h"
#include "tests/support/measured_kit.h"

#include <nlohmann/json.hpp>

namespace ember {
namespace {

const MicWorth& worthOf(const std::vector<MicWorth>& all, const std::string& row) {
    return *std::find_if(all.begin(), all.end(), [&](const MicWorth& m) { return m.row == row; });
}

TEST(MicsMissed, TheOnlyOneOfADrumIsMissedAndOneThatIsTurnedDownIsNot) {
    const test::MeasuredKit& kit = test::measuredKit();
    Session s = kit.session;
    // A snare bottom under everything else gives the mix nothing that it would miss.
    s = withValue(std::move(s), "snare-bottom", "seat", "level", -40.0);
    const std::vector<MicWorth> mics =
        microphonesMissed(s, test::sharedStore(), kit.kit.strokes.strokes);
    ASSERT_EQ(mics.size(), 10U);
    const MicWorth &tom = worthOf(mics, "floor-tom"), &bottom = worthOf(mics, "snare-bottom");
    EXPECT_TRUE(tom.missed);
    EXPECT_EQ(tom.loses.drum, "floor-tom");
    EXPECT_LT(tom.loses.db, -3.0) << "its only close microphone";
    EXPECT_FALSE(bottom.missed) << worthSentence(s, bottom);
    EXPECT_NE(worthSentence(s, tom).find("Without it Floor Tom loses"), std::string::npos)
        << worthSentence(s, tom);
    EXPECT_NE(worthSentence(s, bottom).find("not be missed"), std::string::npos);
    const auto json = nlohmann::json::parse(micsJson(mics));
    EXPECT_EQ(json.size(), 10U);
    EXPECT_EQ(json[0]["row"], mics[0].row);
    // A muted one gives nothing either.
    requireRow(s, "hat").mute = true;
    const auto muted = microphonesMissed(s, test::sharedStore(), kit.kit.strokes.strokes);
    for (const MicWorth& m : muted) {
        if (m.row == "hat") {
            EXPECT_FALSE(m.missed);
        }
    }
}

}  // namespace
}  // namespace ember
