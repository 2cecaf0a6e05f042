#include "core/report/adds_up.h"

#include "core/base/error.h"
#include "tests/support/support.h"

namespace ember {
namespace {

using test::TempFolder;

// Two rows into the main.
Session two(const TempFolder& folder, const std::vector<float>& a, const std::vector<float>& b) {
    test::writeMono(folder / "a.wav", a);
    test::writeMono(folder / "b.wav", b);
    Session s = test::twoElements(folder / "a.wav", folder / "b.wav");
    for (const char* row : {"one", "two"}) requireRow(s, row).parent = "main";
    return s;
}

AddsUp of(const Session& s, const char* row = "one") {
    return addsUp(s, test::sharedStore(), row, 0.0, -1.0);
}

TEST(AddsUp, SaysThatTheSameAgreesTheOppositeCancelsAndStrangersDoNeither) {
    const TempFolder folder;
    const auto noise = test::noise(0.3, 4 * 48000, 1);
    const AddsUp same = of(two(folder, noise, noise));
    EXPECT_EQ(same.into, "main");
    EXPECT_NEAR(same.sumDb, 3.01, 0.02);
    for (const AddedBand& b : same.bands) {
        EXPECT_NEAR(b.sumDb, 3.01, 0.02) << b.low;
        EXPECT_NEAR(b.aloneDb, 0.0, 0.01);
        EXPECT_LT(b.flippedDb, -60.0);
    }
    const AddsUp strange = of(two(folder, noise, test::noise(0.3, 4 * 48000, 2)));
    EXPECT_NEAR(strange.sumDb, 0.0, 0.3);
    const Session flipped = withValue(two(folder, noise, noise), "one", "align", "polarity", 1.0);
    const AddsUp opposite = of(flipped);
    EXPECT_LT(opposite.sumDb, -60.0);
    EXPECT_NEAR(opposite.lowFlippedDb, 3.01, 0.02);
    EXPECT_NE(addsUpText(flipped, "one", opposite).find("Turned over, the lows would have +3.0 dB"),
              std::string::npos)
        << addsUpText(flipped, "one", opposite);
}

TEST(AddsUp, TellsBandsApart) {
    const TempFolder folder;
    // Alike at 100 Hz, opposite at 1 kHz.
    auto a = test::sine(100.0, 0.2, 4 * 48000, 48000.0), b = a;
    const auto high = test::sine(1000.0, 0.2, 4 * 48000, 48000.0);
    for (std::size_t i = 0; i < a.size(); ++i) {
        a[i] += high[i];
        b[i] -= high[i];
    }
    const AddsUp found = of(two(folder, a, b));
    for (const AddedBand& band : found.bands) {
        if (band.low < 100.0 && 100.0 < band.high) {
            EXPECT_NEAR(band.sumDb, 3.0, 0.1);
        }
        if (band.low < 1000.0 && 1000.0 < band.high) {
            EXPECT_LT(band.sumDb, -30.0);
        }
    }
    EXPECT_NEAR(found.sumDb, 0.0, 0.2);
}

TEST(AddsUp, SaysNothingOfWhatIsFarBelowAndRefusesWhatStandsAlone) {
    const TempFolder folder;
    const auto noise = test::noise(0.3, 2 * 48000, 1);
    const Session s = withValue(two(folder, noise, noise), "one", "seat", "level", -60.0);
    EXPECT_EQ(of(s).sumDb, 0.0);
    EXPECT_NEAR(of(s).bands[4].aloneDb, -60.0, 0.1);
    EXPECT_THROW(of(s, "main"), Error);
    EXPECT_THROW(of(test::oneElement(folder / "a.wav")), Error);
}

}  // namespace
}  // namespace ember
