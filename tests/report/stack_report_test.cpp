// What layers do for each other and for the mix, and how they are lined up.

#include "core/report/stack_report.h"

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/measure/sound/layer_align.h"
#include "core/session/layers.h"
#include "demo/kit.h"
#include "tests/support/accuracy.h"
#include "tests/support/made_up.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ember {
namespace {

using test::duller;
using test::later;
using test::madeUpDrum;
using test::TempFolder;

constexpr double kRate = 48000.0;

std::vector<float> decaying(std::vector<float> x, double seconds) {
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] *= static_cast<float>(std::exp(-static_cast<double>(i) / kRate / seconds));
    return x;
}

double sumEnergy(const std::vector<float>& a, const std::vector<float>& b, long shift, bool flip) {
    double sum = 0.0;
    for (long i = -2000; i < std::ssize(a) + 2000; ++i) {
        const auto at = [](const std::vector<float>& x, long k) {
            return k >= 0 && k < std::ssize(x) ? static_cast<double>(x[static_cast<std::size_t>(k)])
                                               : 0.0;
        };
        const double v = at(a, i) + (flip ? -1.0 : 1.0) * at(b, i - shift);
        sum += v * v;
    }
    return sum;
}

TEST(LayerAlign, FindsShiftAndPolarityOfMadeUpPairs) {
    int right = 0, all = 0, related = 0;
    for (int n = 0; n < 200; ++n) {
        Random random(static_cast<std::uint64_t>(7000 + n));
        const std::vector<float> a = madeUpDrum(random, n);
        double by = n % 2 == 0 ? std::round(random.uniform(-400, 400)) : random.uniform(-60, 60);
        bool flip = false;
        std::vector<float> b = later(a, by + 500.0, a.size() + 1000);
        switch (n / 2 % 5) {
            case 1:
                flip = true;
                for (float& x : b) x = -x;
                break;
            case 2: {  // noise 25 dB under the first 50 ms
                double power = 0.0;
                for (std::size_t i = 500; i < 2900; ++i)
                    power += static_cast<double>(b[i]) * b[i] / 2400.0;
                for (float& x : b)
                    x += static_cast<float>(0.056 * std::sqrt(power) * random.normal());
                break;
            }
            case 3:  // a silent head of a quarter of a second
                b.insert(b.begin(), 12000, 0.0F);
                by += 12000.0;
                break;
            case 4:
                for (float& x : b) x += 0.1F;
                break;
            default:
                break;
        }
        const LayerAlignment found = alignLayers(a, b, kRate);
        ++all;
        related += found.related ? 1 : 0;
        const bool good = std::abs(found.shift + by + 500.0) <= 0.5 && found.flip == flip;
        right += good ? 1 : 0;
        EXPECT_TRUE(good) << n << ": " << found.shift << " for " << -by - 500.0;
    }
    test::accuracy("layers: made-up pairs lined up within half a sample, polarity right", "> 99 %",
                   100.0 * right / all, "%", right >= 198);
    EXPECT_GE(right, 198);
    EXPECT_GE(related, 198);
}

TEST(LayerAlign, MovesAFilteredCopyToWhereTheSumIsStrongest) {
    for (int n = 0; n < 20; ++n) {
        Random random(static_cast<std::uint64_t>(100 + n));
        const std::vector<float> a = madeUpDrum(random, n);
        const std::vector<float> b = duller(later(a, 120.0, a.size() + 200), 400.0 + 300.0 * n);
        const LayerAlignment found = alignLayers(a, b, kRate);
        EXPECT_TRUE(found.related) << n;
        const auto at = static_cast<long>(std::lround(found.shift));
        const double best = sumEnergy(a, b, at, found.flip);
        for (long other = at - 60; other <= at + 60; ++other) {
            EXPECT_GE(best * 1.0001, sumEnergy(a, b, other, false)) << n << " " << other;
            EXPECT_GE(best * 1.0001, sumEnergy(a, b, other, true)) << n << " " << other;
        }
    }
}

TEST(LayerAlign, SaysWhenTwoShareNothing) {
    int wrong = 0, all = 0;
    for (int n = 0; n < 100; ++n) {
        Random random(static_cast<std::uint64_t>(9000 + n));
        const std::vector<float> a = madeUpDrum(random, n);
        // Another kind of drum, or other noise of the same kind.
        const std::vector<float> b =
            madeUpDrum(random, n % 5 == 2 || n % 5 == 4 ? n : n + 1 + n / 5 % 4);
        ++all;
        wrong += alignLayers(a, b, kRate).related ? 1 : 0;
    }
    test::accuracy("layers: unrelated pairs called related", "2 % at most", 100.0 * wrong / all,
                   "%", wrong <= 2);
    EXPECT_LE(wrong, 2);
}

TEST(LayerAlign, NothingIsUnrelatedToEverything) {
    const std::vector<float> silence(1000, 0.0F), sound = decaying(test::noise(0.5, 4000), 0.05);
    EXPECT_FALSE(alignLayers({}, sound, kRate).related);
    EXPECT_FALSE(alignLayers(silence, sound, kRate).related);
    EXPECT_FALSE(alignLayers(silence, silence, kRate).related);
    std::vector<float> broken = sound;
    broken[10] = NAN;
    EXPECT_TRUE(std::isfinite(alignLayers(sound, broken, kRate).shift));
}

struct Kick {
    TempFolder folder;
    Session session;

    Kick() {
        const std::vector<float> body = decaying(test::sine(55.0, 0.6, 24000, kRate), 0.12);
        test::writeMono(folder / "body.wav", body);
        std::vector<float> late = body;
        late.insert(late.begin(), 96, 0.0F);
        for (float& x : late) x *= -0.7F;
        test::writeMono(folder / "late.wav", late);
        test::writeMono(folder / "click.wav", decaying(test::noise(0.3, 2400), 0.004));
        test::writeMono(folder / "faint.wav", decaying(test::noise(0.0002, 2400, 5), 0.01));
        std::vector<float> mic(96000, 0.0F);
        for (const std::size_t at : {std::size_t{24000}, std::size_t{72000}})
            for (std::size_t i = 0; i < 12000; ++i) mic[at + i] += 0.2F * body[i];
        test::writeMono(folder / "mic.wav", mic);
        session = test::oneElement(folder / "mic.wav");
        session.rows.front().role = Role::kick;
        session = withDrums(std::move(session));
        std::vector<Source> files;
        for (const char* name : {"body.wav", "late.wav", "click.wav", "faint.wav"})
            files.push_back({(folder / name).string(), ""});
        session = withLayerRow(std::move(session), "kick", files, "Stack").session;
        std::vector<Stroke> strokes;
        for (const double time : {0.5, 1.5}) {
            Stroke s;
            s.time = time;
            s.drum = "kick";
            s.mic = session.rows.front().id;
            s.velocity = 0.9;
            s.kind = StrokeKind::accent;
            strokes.push_back(s);
        }
        session.strokes = Shared(strokes);
    }
};

TEST(StackReport, LayersThatNobodyWouldMissAreNamed) {
    Kick kick;
    kick.session = withLayerValue(kick.session, "stack", "late", "on", 0.0);
    const auto found = layerContributions(kick.session, test::sharedStore(), "stack");
    ASSERT_EQ(found.size(), 4U);
    EXPECT_TRUE(found[0].missed);
    EXPECT_EQ(found[0].strokes, 2);
    EXPECT_FALSE(found[1].missed);  // it is off
    EXPECT_TRUE(found[2].missed);
    EXPECT_FALSE(found[3].missed);  // nobody hears it
    const std::vector<double> bands = earBands();
    ASSERT_EQ(found[0].bandsDb.size(), bands.size());
    const auto band = [&](double hertz) {
        return static_cast<std::size_t>(std::min_element(bands.begin(), bands.end(),
                                                         [&](double a, double b) {
                                                             return std::abs(std::log(a / hertz)) <
                                                                    std::abs(std::log(b / hertz));
                                                         }) -
                                        bands.begin());
    };
    // At the loudness of the mix without it.
    EXPECT_GT(found[0].bandsDb[band(55.0)], 2.0);
    EXPECT_GT(found[2].bandsDb[band(4000.0)], 15.0);
    EXPECT_THROW((void)layerContributions(kick.session, test::sharedStore(), "main"), Error);
}

TEST(StackReport, ALayerIsSetJustLoudEnoughToBeMissed) {
    const Kick kick;
    for (const bool alone : {false, true}) {
        const QuietLevel found =
            quietLevel(kick.session, test::sharedStore(), "stack", "click", alone);
        ASSERT_TRUE(found.reached);
        EXPECT_GE(found.changeDb, kMissedDb);
        // As the contribution test has it, and a little less is not.
        const auto missed = [&](double db) {
            const Session there = withLayerValue(kick.session, "stack", "click", "level", db);
            return layerContributions(alone ? withOnlyRows(there, {"stack", "main"}) : there,
                                      test::sharedStore(), "stack")[2]
                .missed;
        };
        EXPECT_TRUE(missed(found.levelDb)) << alone;
        EXPECT_FALSE(missed(found.levelDb - 0.75)) << alone;
    }
    EXPECT_NE(test::errorOf([&] {
                  (void)quietLevel(kick.session, test::sharedStore(), "stack", "nobody", false);
              }).find("has no layer"),
              std::string::npos);
    const Session off = withLayerValue(kick.session, "stack", "click", "on", 0.0);
    EXPECT_NE(test::errorOf([&] {
                  (void)quietLevel(off, test::sharedStore(), "stack", "click", false);
              }).find("nobody can miss it"),
              std::string::npos);
}

TEST(StackReport, PairsThatWeakenEachOtherAreFoundAndLinedUp) {
    Kick kick;
    const auto lows = [&](const Session& session) {
        for (const Agreement& a : layerAgreements(session, test::sharedStore(), "stack")) {
            if (a.first == "body" && a.second == "late") return a.lowDb;
        }
        return 0.0;
    };
    const double before = lows(kick.session);
    EXPECT_LT(before, -1.0);
    const auto moves = layerMoves(kick.session, test::sharedStore(), "stack");
    ASSERT_EQ(moves.size(), 3U);
    EXPECT_EQ(moves[0].layer, "late");
    EXPECT_EQ(moves[0].leader, "body");
    EXPECT_TRUE(moves[0].related);
    EXPECT_TRUE(moves[0].flip);
    EXPECT_NEAR(moves[0].offsetMs, -2.0, 0.02);
    EXPECT_FALSE(moves[1].related);
    const Session after = withLayerMoves(kick.session, "stack", moves);
    EXPECT_NEAR(lows(after), 2.9, 0.15);
    EXPECT_EQ(findLayer(*findRow(after, "stack"), "click")->values,
              findLayer(*findRow(kick.session, "stack"), "click")->values);
}

TEST(StackReport, LayersThatNeverSoundTogetherAreNotCompared) {
    Kick kick;
    Session session = withLayerValue(kick.session, "stack", "late", "struck-by",
                                     static_cast<double>(StruckBy::everyNth));
    session = withLayerValue(session, "stack", "late", "first", 2.0);
    session = withLayerValue(session, "stack", "click", "struck-by",
                             static_cast<double>(StruckBy::everyNth));
    const auto found = layerAgreements(session, test::sharedStore(), "stack");
    EXPECT_EQ(found.size(), 5U);  // of six pairs
    EXPECT_TRUE(std::none_of(found.begin(), found.end(), [](const Agreement& a) {
        return a.first == "late" && a.second == "click";
    }));
}

TEST(StackReport, ThePictureHoldsEveryLayerAndTheirSum) {
    Kick kick;
    const StackPicture picture = stackPicture(kick.session, test::sharedStore(), "stack");
    ASSERT_EQ(picture.layers.size(), 4U);
    for (std::size_t i = 0; i < picture.sum.samples.size(); i += 97) {
        double sum = 0.0;
        for (const auto& wave : picture.layers) sum += static_cast<double>(wave.samples[i]);
        ASSERT_NEAR(picture.sum.samples[i], sum, 1e-6);
    }
    EXPECT_EQ(picture.agreements.size(), 6U);
    std::filesystem::remove(kick.folder / "click.wav");
    const StackPicture broken = stackPicture(kick.session, test::sharedStore(), "stack");
    EXPECT_EQ(broken.layers.size(), 3U);
    EXPECT_EQ(broken.problems.size(), 1U);
}

}  // namespace
}  // namespace ember
