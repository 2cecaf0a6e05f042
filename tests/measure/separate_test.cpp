#include "core/report/separate.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/engine/trace_cache.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/separate/channel_gains.h"
#include "core/measure/separate/kept_models.h"
#include "core/measure/separate/stage_gains.h"
#include "core/measure/strokes/strokes.h"
#include "core/session/bleed.h"
#include "core/session/diff.h"
#include "tests/engine/live.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace ember {
namespace {

using test::sharedStore;

std::vector<float> heard(SongSignal signal, BandGains gains) {
    BandGainReader reader(signal, std::make_shared<const BandGains>(std::move(gains)));
    std::vector<float> out(signal.samples.begin(), signal.samples.end()), more(out.size());
    reader.read(signal.offset, more);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] += more[i];
    return out;
}

ChannelTurns only(const BleedModel& model, std::size_t part) {
    ChannelTurns turns;
    turns.parts.assign(model.drums.size() + 1, 0.0);
    turns.parts[part] = 1.0;
    return turns;
}

// The short demo session with the kit taken apart.
const Session& apartSession() {
    static const Session session = [] {
        const std::string model = takeApart(test::shortSession(), sharedStore());
        Session s = test::shortSession();
        for (const char* row : {"snare-top", "overhead"})
            if (findRow(s, row) != nullptr) s = withBleed(std::move(s), row, model);
        return s;
    }();
    return session;
}
const BleedModel& apartModel() {
    static const auto model =
        findBleedModel(sharedStore(), findBleed(*findRow(apartSession(), "snare-top"))->data);
    return *model;
}

TEST(Separate, ThePartsOfEveryMicrophoneAddUpToItsRecording) {
    const KitMics kit = kitMics(test::shortSession(), sharedStore());
    const BleedModel& model = apartModel();
    for (const MicSignal& mic : kit.mics) {
        const int channel = model.channelOf(mic.id, 0);
        ASSERT_GE(channel, 0) << mic.id;
        std::vector<double> sum(mic.channels[0].size(), 0.0);
        for (std::size_t part = 0; part <= model.drums.size(); ++part) {
            const std::vector<float> one =
                heard({mic.channels[0], mic.offset}, bandGains(model, channel, only(model, part)));
            for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += static_cast<double>(one[i]);
        }
        double most = 0.0;
        for (std::size_t i = 0; i < sum.size(); ++i)
            most = std::max(most, std::abs(sum[i] - static_cast<double>(mic.channels[0][i])));
        EXPECT_LT(dbFromGain(most), -120.0) << mic.id;
    }
}

TEST(Separate, WhatIsHeardDependsOnThePlaceInTheSongAlone) {
    const KitMics kit = kitMics(test::shortSession(), sharedStore());
    const MicSignal& mic = kit.mics[2];
    ChannelTurns turns = only(apartModel(), 0);
    turns.floor = 0.01;
    turns.soft = 0.03;
    auto gains = std::make_shared<const BandGains>(
        bandGains(apartModel(), apartModel().channelOf(mic.id, 0), turns));
    const SongSignal signal{mic.channels[0], mic.offset};
    std::vector<float> whole(96000);
    BandGainReader(signal, gains).read(0, whole);
    BandGainReader pieces(signal, gains, 200);
    std::mt19937 random(4);
    for (int n = 0; n < 400; ++n) {
        // Runs of blocks that jump, two side by side.
        const Frames from = std::uniform_int_distribution<Frames>(0, 80000)(random);
        const int size = std::uniform_int_distribution<int>(1, 96)(random);
        std::vector<float> a(static_cast<std::size_t>(size)), b = a;
        for (int k = 0; k < 20; ++k) {
            pieces.read(from + k * size, a);
            pieces.read(90000 - from + k * size / 2, b);
            for (std::size_t i = 0; i < a.size(); ++i) {
                const auto at = static_cast<std::size_t>(from + k * size) + i;
                if (at >= whole.size()) continue;
                ASSERT_EQ(a[i], whole[at]) << n << " " << k;
            }
        }
    }
}

TEST(Separate, TurnedToNothingItIsTheRecordingBitForBit) {
    const Session& s = apartSession();
    RenderOptions options;
    options.to = 4.0;
    const AudioBuffer without = renderMix(test::shortSession(), sharedStore(), options);
    EXPECT_EQ(renderMix(s, sharedStore(), options), without) << "nothing is turned";
    Session unity = withDrumGain(s, "snare-top", "hihat", -20.0);
    const AudioBuffer turned = renderMix(unity, sharedStore(), options);
    EXPECT_NE(turned, without);
    EXPECT_EQ(renderMix(withStageOn(unity, "snare-top", "bleed", false), sharedStore(), options),
              without)
        << "switched off";
    unity = withDrumGain(unity, "snare-top", "hihat", 0.0);
    EXPECT_EQ(renderMix(unity, sharedStore(), options), without) << "turned back";
    // Amount 0: every gain is one.
    Session none = withDrumGain(s, "snare-top", "hihat", -20.0);
    none = withValue(std::move(none), "snare-top", "bleed", "amount", 0.0);
    EXPECT_EQ(renderMix(none, sharedStore(), options), without);
}

TEST(Separate, PicturesShowWhatItTakesAndFollowIt) {
    const auto peaks = [](const Session& s) {
        const auto traced = cachedTrace(s, sharedStore(), {"snare-top"});
        const StageTrace& bleed = traced.at("snare-top").stages[1];
        const auto peak = [](const std::vector<float>& levels) {
            return dbFromGain(static_cast<double>(*std::max_element(levels.begin(), levels.end())));
        };
        return std::pair(peak(bleed.inputPeak), peak(bleed.outputPeak));
    };
    const auto [before, after] = peaks(withDrumGain(apartSession(), "snare-top", "snare", -24.0));
    EXPECT_LT(after, before - 6.0);
    // What is kept of one is not taken for the other.
    const auto [same, less] = peaks(withDrumGain(apartSession(), "snare-top", "snare", -3.0));
    EXPECT_EQ(same, before);
    EXPECT_GT(less, after + 3.0);
}

TEST(Separate, BlocksAndThreadsGiveTheSameSamples) {
    Session s = withDrumGain(apartSession(), "snare-top", "hihat", kBleedLowest);
    s = withDrumGain(std::move(s), "snare-top", "kick", -12.0);
    s = withValue(std::move(s), "snare-top", "bleed", "soft", 30.0);
    s = withValue(std::move(s), "snare-top", "align", "delay", 0.37);
    RenderOptions options;
    options.to = 4.0;
    const AudioBuffer one = renderMix(s, sharedStore(), options);
    for (const int block : {64, 200, 4096}) {
        for (const int threads : {1, 2}) {
            options.block = block;
            options.threads = threads;
            EXPECT_EQ(renderMix(s, sharedStore(), options), one) << block << " " << threads;
        }
    }
    // A render that begins later is a part of the whole.
    options.from = 1.5;
    const AudioBuffer later = renderMix(s, sharedStore(), options);
    double most = 0.0;
    const std::size_t skip = 72000, settle = 48000;  // what keeps state before settles
    for (std::size_t i = settle; i < later.frames(); ++i)
        most = std::max(most, std::abs(static_cast<double>(later.channels[0][i]) -
                                       static_cast<double>(one.channels[0][i + skip])));
    EXPECT_LT(dbFromGain(most), -90.0);
}

TEST(Separate, LiveThroughASeekAndALoopItIsWhatIsRendered) {
    Session s = withOnlyRows(apartSession(), {"snare-top", mainRow(apartSession())});
    s = withDrumGain(std::move(s), "snare-top", "snare", -30.0);
    RenderOptions options;
    options.to = 4.0;
    const std::vector<float> offline = renderMix(s, sharedStore(), options).channels[0];
    test::Live live(s);
    for (const double from : {1.0, 0.24, 2.5}) {  // on the grid of blocks
        const std::vector<float> heard = live.playFrom(from, 24000);
        const std::size_t at = test::frameAt(from);
        // A seek fades in for some blocks.
        for (std::size_t i = 4800; i < heard.size(); ++i)
            ASSERT_NEAR(heard[i], offline[at + i], 1e-6F) << from << " " << i;
    }
    live.engine.setLoop(true, 48000, 72000);
    const std::vector<float> round = live.playFrom(1.28, 48000);
    for (std::size_t i = 20000; i < 30000; ++i)
        ASSERT_NEAR(round[i], offline[48000 + (13440 + i) % 24000], 1e-6F) << i;
}

TEST(Separate, WhatListensToAMicrophoneHearsItAsItIsTurned) {
    // A gate on the overheads that the snare's microphone opens: loud kicks open it too, until they
    // are turned down there.
    Session s = withOnlyRows(apartSession(), {"overhead", "snare-top", mainRow(apartSession())});
    s = withValue(withStageOn(std::move(s), "overhead", "gate", true), "overhead", "gate",
                  "threshold", -42.0);
    s = withKey(std::move(s), "overhead", "gate", "snare-top");
    const std::vector<Stroke> strokes =
        measureSessionStrokes(test::shortSession(), sharedStore()).strokes;
    const auto atKicks = [&](const Session& session) {
        RenderOptions options;
        options.onlyRows = {"overhead"};
        const AudioBuffer audio = renderRow(session, sharedStore(), "overhead", options);
        double energy = 1e-9;
        int kicks = 0;
        for (const Stroke& kick : strokes) {
            const bool alone = std::none_of(strokes.begin(), strokes.end(), [&](const Stroke& o) {
                return o.drum == "snare" && o.time > kick.time - 0.6 && o.time < kick.time + 0.1;
            });
            if (kick.drum != "kick" || !alone) continue;
            ++kicks;
            const auto from = static_cast<std::size_t>((kick.time + 0.02) * audio.sampleRate);
            for (std::size_t i = from; i < std::min(audio.frames(), from + 1920); ++i)
                energy += static_cast<double>(audio.channels[0][i] * audio.channels[0][i]);
        }
        EXPECT_GE(kicks, 2);
        return 10.0 * std::log10(energy);
    };
    const double before = atKicks(s);
    for (const std::string& drum : apartModel().drums) {
        if (drum != "snare") s = withDrumGain(std::move(s), "snare-top", drum, kBleedLowest);
    }
    EXPECT_LT(atKicks(s), before - 6.0) << "the snare alone opens it";
}

TEST(Separate, CorrectedStrokesAreFollowedAndAMissingModelIsSaid) {
    Session s = test::shortSession();
    const std::string model = takeApart(s, sharedStore());
    EXPECT_EQ(takeApart(s, sharedStore()), model) << "measured once";
    Session bled = withDrumGain(withBleed(s, "snare-top", model), "snare-top", "kick", -6.0);
    EXPECT_TRUE(isTakenApartAnew(bled, sharedStore()));
    const std::vector<Stroke> strokes = measureSessionStrokes(s, sharedStore()).strokes;
    const auto snare = std::find_if(strokes.begin(), strokes.end(),
                                    [](const Stroke& x) { return x.drum == "snare"; });
    ASSERT_NE(snare, strokes.end());
    s.strokeEdits.push_back({true, *snare});
    bled.strokeEdits = s.strokeEdits;
    EXPECT_FALSE(isTakenApartAnew(bled, sharedStore()));
    const std::string other = takeApart(s, sharedStore());
    EXPECT_NE(other, model);
    EXPECT_TRUE(isTakenApartAnew(withBleedModel(bled, other), sharedStore()));

    bled = withBleedModel(std::move(bled), std::string(32, 'a'));
    RenderReport report;
    RenderOptions options;
    options.to = 1.0;
    const AudioBuffer gone = renderMix(bled, sharedStore(), options, &report);
    ASSERT_EQ(report.problems.size(), 1U);
    EXPECT_NE(report.problems[0].find("take the kit apart again"), std::string::npos);
    EXPECT_EQ(gone, renderMix(test::shortSession(), sharedStore(), options));
}

TEST(Separate, ListeningKnowsTheModelAndCorrectionsNeedNoOther) {
    const auto models = [] {
        const auto files = std::filesystem::directory_iterator(sharedStore().folder());
        return std::count_if(begin(files), end(files),
                             [](const auto& f) { return f.path().extension() == ".bleed"; });
    };
    Session s = test::shortSession();
    const KitMeasurement first = measureKit(s, sharedStore());
    const auto before = models();
    EXPECT_GT(before, 0);
    takeApart(s, sharedStore());
    EXPECT_EQ(models(), before);
    s.strokeEdits.push_back({true, first.found.strokes.front()});
    EXPECT_NE(measureKit(s, sharedStore()).strokes, first.strokes);
    EXPECT_EQ(models(), before);
}

TEST(Separate, AModelIsKeptBesideASessionAndComesBackFromThere) {
    const test::TempFolder folder;
    const Session s = withDrumGain(apartSession(), "snare-top", "hihat", -20.0);
    keepModelsBeside(s, sharedStore(), folder / "mix.json");
    const std::string hash = findBleed(*findRow(s, "snare-top"))->data;
    ASSERT_TRUE(std::filesystem::exists(folder / "mix.bleed" / (hash + ".bleed")));
    AudioStore elsewhere(folder / "cache");
    std::filesystem::create_directories(folder / "cache");
    EXPECT_EQ(findBleedModel(elsewhere, hash), nullptr);
    bringModelsFrom(s, elsewhere, folder / "mix.json");
    const auto back = findBleedModel(elsewhere, hash);
    ASSERT_NE(back, nullptr);
    EXPECT_EQ(*back, apartModel());
    // Small enough to keep: under 10 MB a minute.
    const double minutes = static_cast<double>(apartModel().grid.windows) *
                           apartModel().grid.hop() / apartModel().sampleRate / 60.0;
    EXPECT_LT(static_cast<double>(toBytes(apartModel()).size()), 1e7 * (minutes + 0.1));
    // Damaged: a sentence, not a crash.
    std::string bytes = toBytes(apartModel());
    EXPECT_NE(test::errorOf([&] { bleedModelFrom(bytes.substr(0, bytes.size() / 2)); }), "");
    bytes[0] = 9;
    EXPECT_NE(test::errorOf([&] { bleedModelFrom(bytes); }).find("version"), std::string::npos);
}

TEST(Separate, WritesAFileForEveryDrumInARow) {
    const test::TempFolder folder;
    const std::vector<PartFile> files = writeParts(test::shortSession(), sharedStore(),
                                                   apartModel(), {"snare-top"}, folder / "parts");
    EXPECT_EQ(files.size(), apartModel().drums.size() + 1);
    EXPECT_TRUE(std::filesystem::exists(folder / "parts" / "snare-top__snare.wav"));
    EXPECT_TRUE(std::filesystem::exists(folder / "parts" / "snare-top__rest.wav"));
    EXPECT_NE(test::errorOf([&] {
                  writeParts(test::shortSession(), sharedStore(), apartModel(), {"nobody"},
                             folder / "parts");
              }).find("nobody"),
              std::string::npos);
}

TEST(BleedEdits, HaveTheirPlaceRangeAndSentences) {
    const Session s = test::shortSession();
    const Session bled = withBleed(s, "snare-top", std::string(32, 'b'));
    EXPECT_EQ(findRow(bled, "snare-top")->chain[1].type, "bleed");
    const Session turned = withDrumGain(bled, "snare-top", "hihat", -24.0);
    EXPECT_EQ(drumGain(*findRow(turned, "snare-top"), "hihat"), -24.0);
    EXPECT_EQ(drumGain(*findRow(turned, "hat"), "hihat"), 0.0);
    EXPECT_NE(test::errorOf([&] { withDrumGain(s, "snare-top", "hihat", -3.0); }).find("bleed"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withDrumGain(bled, "snare-top", "hihat", 13.0); }), "");
    EXPECT_NE(test::errorOf([&] { withDrumGain(bled, "snare-top", "cowbell", -3.0); }), "");
    EXPECT_NE(test::errorOf([&] { withStageAdded(bled, "drum-bus", "bleed"); }), "");
    EXPECT_NE(test::errorOf([&] { withStageAdded(bled, "snare-top", "bleed"); }), "");
    EXPECT_NE(test::errorOf([&] { withStageMoved(bled, "snare-top", "bleed", 1); }), "");
    const SessionDiff d = diff(bled, turned);
    EXPECT_TRUE(d.structural);
    ASSERT_FALSE(d.changes.empty());
    EXPECT_NE(d.changes[0].text.find("0 dB → −24.0 dB"), std::string::npos) << d.changes[0].text;
}

}  // namespace
}  // namespace ember
