// Several things at once: each is what it would be alone, and the groups sum to the mix.

#include "core/report/deliver.h"

#include "core/report/one_shots.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "core/session/split.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// The demo kit with a parallel that two drums are sent to.
Session withParallel() {
    Session s = withBusAdded(test::shortSession(), "Crush");
    s = withSend(s, "snare-top", {.to = "crush", .levelDb = -6.0});
    s = withSend(s, "kick-in", {.to = "crush", .levelDb = -9.0});
    s.name = "Night: bus";
    return s;
}

double worstDb(const std::vector<AudioBuffer>& parts, const AudioBuffer& whole) {
    double worst = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < whole.channels[c].size(); ++i) {
            double sum = -static_cast<double>(whole.channels[c][i]);
            for (const AudioBuffer& part : parts) sum += static_cast<double>(part.channels[c][i]);
            worst = std::max(worst, std::abs(sum));
        }
    }
    return dbFromGain(worst);
}

TEST(Deliver, NamesFollowThePatternAndSayWhereTheyCannot) {
    EXPECT_EQ(deliveredName("{song} {what}", "Night bus", "mix", 48000, 24), "Night bus mix");
    EXPECT_EQ(deliveredName("{what}_{rate}k_{bits}", "", "Snare/Top", 44100, 16),
              "Snare-Top_44.1k_16");
    EXPECT_NE(
        test::errorOf([] { (void)deliveredName("{song}", "a", "b", 48000, 24); }).find("{what}"),
        std::string::npos);
    EXPECT_NE(test::errorOf([] {
                  (void)deliveredName("{what} {day}", "a", "b", 48000, 24);
              }).find("“{day}” is no part of a name"),
              std::string::npos);
    EXPECT_NE(test::errorOf([] {
                  (void)deliveredName("{what} {song", "a", "b", 48000, 24);
              }).find("“{song” is no part"),
              std::string::npos);
}

TEST(Deliver, FormsAreReadAndRefused) {
    EXPECT_EQ(mixFormFrom("wav16@44100"), (MixForm{false, SampleDepth::pcm16, 44100}));
    EXPECT_EQ(mixFormFrom("flac24"), (MixForm{true, SampleDepth::pcm24, 0}));
    EXPECT_EQ(mixFormText(mixFormFrom("wav16@44100"), 48000), "WAV, 16 bit, 44.1 kHz");
    for (const char* wrong :
         {"", "mp3", "wav", "wav8", "flac32", "wav24@", "wav24@fast", "wav24@7999", "wav24@44100x"})
        EXPECT_NE(test::errorOf([&] { (void)mixFormFrom(wrong); }).find("wav16@44100"),
                  std::string::npos)
            << wrong;
}

TEST(Deliver, EveryFormIsWhatItWouldBeAlone) {
    const TempFolder folder;
    const Session session = withParallel();
    DeliveryOrder order;
    order.folder = folder / "out";
    for (const char* form : {"wav24", "flac24", "wav16@44100"})
        order.mixes.push_back(mixFormFrom(form));
    const Delivered done = deliver(session, test::sharedStore(), order);
    ASSERT_EQ(done.files, filesOf(session, order));
    EXPECT_EQ(done.files[0].filename(), "Night- bus mix.wav");
    EXPECT_EQ(done.files[2].filename(), "Night- bus mix 16 bit 44.1 kHz.wav");
    renderToFile(session, test::sharedStore(), {}, folder / "alone.wav", SampleDepth::pcm24);
    EXPECT_EQ(test::readText(done.files[0]), test::readText(folder / "alone.wav"));
    // FLAC is rounded where WAV is cut off: a step of 24 bit at most.
    const AudioBuffer wav = readAudio(done.files[0]), flac = readAudio(done.files[1]);
    ASSERT_EQ(flac.channels[0].size(), wav.channels[0].size());
    for (std::size_t i = 0; i < wav.channels[0].size(); ++i)
        ASSERT_NEAR(flac.channels[0][i], wav.channels[0][i], 1.01F / 8388608.0F) << i;
    // The store converts recordings alike; what is between is 16 bit with its dither.
    const auto converted = test::sharedStore().open(folder / "alone.wav", 44100);
    const AudioBuffer small = readAudio(done.files[2]);
    EXPECT_EQ(small.sampleRate, 44100.0);
    ASSERT_EQ(small.channels[0].size(), converted->channel(0).size());
    float worst = 0.0F;
    for (std::size_t i = 0; i < small.channels[0].size(); ++i)
        worst = std::max(worst, std::abs(small.channels[0][i] - converted->channel(0)[i]));
    EXPECT_LT(worst, 2.01F / 32768.0F);
}

// The stems of an order, by folder.
std::map<std::string, std::vector<AudioBuffer>> stemsOf(const Delivered& done) {
    std::map<std::string, std::vector<AudioBuffer>> out;
    for (std::size_t i = 1; i < done.files.size(); ++i)
        out[done.files[i].parent_path().filename().string()].push_back(readAudio(done.files[i]));
    return out;
}

std::vector<AudioBuffer> together(std::vector<AudioBuffer> a, const std::vector<AudioBuffer>& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

// A parallel that is pressed and sent on to a space of a whole bus, and rows in streams of their
// own: whichever way returns go, everything is there once.
TEST(Deliver, ReturnsAreInEveryStemOrApartOrBesideIt) {
    const TempFolder folder;
    Session session = withBusAdded(withParallel(), "Space");
    session = withValue(std::move(session), "crush", "compressor", "threshold", -40.0);
    session = withSend(std::move(session), "crush", {.to = "space", .levelDb = -3.0});
    session = withSend(std::move(session), "snare-bus", {.to = "space", .before = true});
    session = withSplit(std::move(session), "room", "sides");
    EXPECT_EQ(returnsOf(session, false), (std::vector<std::string>{"crush", "space"}));
    DeliveryOrder order;
    order.mixes = {mixFormFrom("wav32")};
    order.stems = order.groups = true;
    order.options.to = 4.0;
    const auto delivered = [&](Returns returns, const char* name) {
        order.folder = folder / name;
        order.returns = returns;
        Delivered done = deliver(session, test::sharedStore(), order);
        EXPECT_EQ(std::set<fs::path>(done.files.begin(), done.files.end()), [&] {
            const auto files = filesOf(session, order);
            return std::set<fs::path>(files.begin(), files.end());
        }()) << name;
        EXPECT_LT(done.stems.throughBusesDb, -120.0) << name;
        return done;
    };
    const Delivered apart = delivered(Returns::apart, "apart"),
                    wet = delivered(Returns::wet, "wet"),
                    inside = delivered(Returns::inside, "inside");
    const AudioBuffer mix = readAudio(apart.files[0]);
    auto a = stemsOf(apart), w = stemsOf(wet), all = stemsOf(inside);
    ASSERT_EQ(a["returns"].size(), 2U);
    for (const AudioBuffer& space : a["returns"]) EXPECT_GT(test::peakDb(space.channels[0]), -60.0);
    EXPECT_LT(worstDb(together(a["through-buses"], a["returns"]), mix), -120.0);
    EXPECT_LT(worstDb(together(a["groups"], a["returns"]), mix), -120.0);
    EXPECT_LT(worstDb(together(w["through-buses"], w["wet"]), mix), -120.0);
    EXPECT_LT(worstDb(together(w["groups"], w["groups-wet"]), mix), -120.0);
    EXPECT_LT(worstDb(all["through-buses"], mix), -120.0);
    EXPECT_GT(worstDb(a["groups"], mix), -60.0) << "without the returns it is not the mix";
    // Dry is what the mix is of an element with every send taken away, where nothing listens to
    // what is taken away.
    ASSERT_EQ(w["through-buses"].size(), a["through-buses"].size());
    for (std::size_t i = 0; i < w["through-buses"].size(); ++i) {
        EXPECT_EQ(w["through-buses"][i].channels, a["through-buses"][i].channels);
        EXPECT_LT(worstDb({w["through-buses"][i], w["wet"][i]}, all["through-buses"][i]), -120.0);
    }
    Session dry = session;
    for (Row& row : dry.rows) {
        while (!isStream(row) && splitOf(session, row.id).empty() && !row.sends.empty())
            row.sends.pop_back();
    }
    RenderOptions options;
    options.to = 4.0;
    EXPECT_LT(worstDb(a["through-buses"], renderMix(dry, test::sharedStore(), options)), -100.0);
}

TEST(Deliver, GroupsSumToTheMixAndTakeTheirParallelsAlong) {
    const TempFolder folder;
    const Session session = withParallel();
    DeliveryOrder order;
    order.folder = folder.path();
    order.mixes = {mixFormFrom("wav32")};
    order.groups = true;
    const Delivered done = deliver(session, test::sharedStore(), order);
    ASSERT_EQ(done.files, filesOf(session, order));
    std::vector<AudioBuffer> groups;
    std::vector<std::string> names;
    for (std::size_t i = 1; i < done.files.size(); ++i) {
        names.push_back(done.files[i].stem().string());
        groups.push_back(readAudio(done.files[i]));
    }
    EXPECT_EQ(std::count(names.begin(), names.end(), "Night- bus Kick"), 1);
    EXPECT_EQ(std::count(names.begin(), names.end(), "Night- bus Room"), 1)
        << "by itself in the drum bus";
    EXPECT_EQ(std::count(names.begin(), names.end(), "Night- bus Crush"), 0)
        << "what a parallel gives belongs to those that feed it";
    EXPECT_LT(worstDb(groups, readAudio(done.files[0])), -120.0);
    EXPECT_LT(done.stems.throughBusesDb, -120.0);
}

TEST(OneShots, AreStrokesThatStandAloneInSteps) {
    Session session = test::shortSession();
    std::vector<Stroke> strokes;
    const auto strike = [&](const char* drum, double time, double velocity) {
        Stroke s;
        s.drum = drum;
        s.time = time;
        s.velocity = velocity;
        strokes.push_back(s);
    };
    // Every second a snare, harder each time; a crash of noise beside the even ones, and one
    // followed too closely.
    for (int i = 0; i < 16; ++i) {
        strike("snare", 1.0 + i, 0.2 + 0.05 * i);
        if (i % 2 == 0) strike("kick", 1.05 + i, 0.9);
    }
    strike("snare", 17.0, 0.9);
    strike("snare", 17.05, 0.9);
    const std::vector<OneShot> shots = chooseOneShots(session, strokes);
    std::vector<OneShot> snare;
    for (const OneShot& shot : shots) {
        if (shot.drum == "snare") snare.push_back(shot);
    }
    ASSERT_EQ(snare.size(), static_cast<std::size_t>(kOneShotSteps * kOneShotVariations));
    for (std::size_t i = 0; i < snare.size(); ++i) {
        EXPECT_EQ(snare[i].step, 1 + static_cast<int>(i) / kOneShotVariations);
        EXPECT_EQ(snare[i].variation, 1 + static_cast<int>(i) % kOneShotVariations);
        EXPECT_NE(snare[i].time, 17.0) << "the next one is too near";
        EXPECT_LE(snare[i].seconds, snare[i].time > 17.0 ? 3.0 : 1.0) << "until the next one";
        if (snare[i].variation == 1 && snare[i].time < 17.0) {
            EXPECT_EQ(static_cast<int>(std::lround(snare[i].time - 1.0)) % 2, 1)
                << "without a kick over it comes first";
        }
    }
    EXPECT_GT(snare.back().velocity, snare.front().velocity);
}

TEST(OneShots, AreWhatTheDrumGivesTheMix) {
    const TempFolder folder;
    const Session session = withParallel();
    const OneShot shot{"snare", 1.0, 0.4, 0.5, 1, 1};
    const auto files = cutOneShots(session, test::sharedStore(), {shot}, folder.path());
    ASSERT_EQ(files, (std::vector<fs::path>{oneShotFile(session, shot, folder.path())}));
    const AudioBuffer cut = readAudio(files[0]);
    AudioBuffer sum{48000.0, {}};
    for (const char* row : {"snare-top", "snare-bottom"}) {
        const AudioBuffer part = renderPart(session, test::sharedStore(), row, {});
        sum.channels.resize(2, std::vector<float>(part.frames(), 0.0F));
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < part.frames(); ++i)
                sum.channels[c][i] += part.channels[c][i];
        }
    }
    const std::size_t from = 48000 - 96;  // 2 ms before the stroke
    ASSERT_EQ(cut.frames(), 96U + 19200U);
    for (std::size_t i = 96; i < cut.frames() - 2000; ++i)
        ASSERT_NEAR(cut.channels[0][i], sum.channels[0][from + i], 1e-6F) << i;
    EXPECT_EQ(cut.channels[0].front(), 0.0F);
    EXPECT_LT(std::abs(cut.channels[0].back()), 1e-4F);
    EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1) << "nothing else stays";
}

TEST(Deliver, SaysFirstWhatCannotBe) {
    const TempFolder folder;
    const Session session = test::shortSession();
    DeliveryOrder order;
    order.folder = folder / "out";
    const auto sentence = [&] {
        return test::errorOf([&] { (void)deliver(session, test::sharedStore(), order); });
    };
    EXPECT_NE(sentence().find("Nothing is ordered"), std::string::npos);
    order.mixes = {mixFormFrom("wav24"), mixFormFrom("wav24"), mixFormFrom("wav24@48000")};
    EXPECT_NE(sentence().find("ordered twice"), std::string::npos) << sentence();
    order.mixes = {};
    order.strokes = true;
    order.names = "{song}";
    EXPECT_NE(sentence().find("{what}"), std::string::npos);
    EXPECT_FALSE(fs::exists(folder / "out")) << "nothing was begun";
    order.names = "{what}";
    Session unheard = session;
    unheard.strokes = {};
    const Delivered done = deliver(unheard, test::sharedStore(), order);
    EXPECT_TRUE(done.files.empty());
    ASSERT_EQ(done.remarks.size(), 1U);
    EXPECT_NE(done.remarks[0].find("No strokes are known"), std::string::npos);
}

TEST(Deliver, CanBeCancelledAndLeavesNoHalfFile) {
    const TempFolder folder;
    DeliveryOrder order;
    order.folder = folder / "out";
    order.mixes = {mixFormFrom("wav24"), mixFormFrom("wav16@44100")};
    EXPECT_THROW(deliver(test::shortSession(), test::sharedStore(), order,
                         [](double share, const std::string&) { return share < 0.5; }),
                 Cancelled);
    EXPECT_TRUE(fs::is_empty(folder / "out"));
}

}  // namespace
}  // namespace ember
