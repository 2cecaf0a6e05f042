#include "core/engine/render.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/session/file.h"
#include "demo/mix.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <cmath>
#include <limits>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// The demo kit with gates, equalisers, compressors, keys and look-aheads at work.
Session busySession() {
    Session s = demo::demoMix(test::shortSession());
    s = withValue(s, "snare-top", "compressor", "look-ahead", 3.0);
    s = withValue(s, "overhead", "compressor", "threshold", -30.0);
    requireStage(requireRow(s, "overhead"), "compressor").key = "kick-in";
    s = withValue(s, "snare-bus", "compressor", "threshold", -25.0);
    // Every processor there is, in one chain and on a bus.
    for (const ProcessorType& type : processorTypes()) {
        if (type.home == Column::align || type.home == Column::seat) continue;
        for (const char* row : {"floor-tom", "cymbals-bus"}) {
            if (findRow(s, row) == nullptr) continue;
            // A bus plays no microphone.
            if (type.id == "bleed" && findRow(s, row)->kind == RowKind::bus) continue;
            if (findStage(*findRow(s, row), type.id) == nullptr)
                s = withStageAdded(s, row, type.id);
            s = withStageOn(s, row, type.id, true);
        }
    }
    s = withValue(s, "floor-tom", "saturation", "drive", 12.0);
    s = withValue(s, "floor-tom", "transient", "attack", 6.0);
    s = withValue(s, "floor-tom", "exciter", "highs", 40.0);
    s = withValue(s, "floor-tom", "limiter", "drive", 6.0);
    return s;
}

AudioBuffer mix(const Session& session, int block, int threads) {
    RenderOptions options;
    options.block = block;
    options.threads = threads;
    return renderMix(session, test::sharedStore(), options);
}

TEST(Render, HoldsTheSameSamplesWhateverTheBlockAndTheThreads) {
    const Session session = busySession();
    const AudioBuffer reference = mix(session, 4096, 1);
    ASSERT_GT(test::peakDb(reference.channels[0]), -40.0);
    for (const auto& [block, threads] :
         {std::pair{1, 1}, {17, 2}, {64, 1}, {64, 2}, {480, 2}, {4096, 2}}) {
        EXPECT_EQ(mix(session, block, threads), reference)
            << "block " << block << ", threads " << threads;
    }
}

TEST(Render, EqualsThePlainSumWhenEverythingIsOff) {
    Session session = test::shortSession();
    for (Row& row : session.rows) {
        for (Stage& stage : row.chain) {
            stage.on = stage.type == "seat" || stage.type == "align";
            stage.values = standardValues(processorType(stage.type).table);
        }
    }
    const AudioBuffer out = mix(session, 4096, 2);
    // Sums in the documented order: members in the session's order into their bus, buses upwards.
    std::map<std::string, std::array<std::vector<float>, 2>> bus;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::guest || row.kind == RowKind::reference) continue;
        std::array<std::vector<float>, 2> own;
        if (hasSources(row.kind)) {
            for (std::size_t c = 0; c < 2; ++c) {
                const Source& source = row.sources[std::min(c, row.sources.size() - 1)];
                const AudioBuffer audio = readAudio(source.file);
                own[c] = audio.channels[static_cast<std::size_t>(source.channel)];
            }
        } else {
            own = bus[row.id];
        }
        if (row.kind == RowKind::main) {
            for (std::size_t c = 0; c < 2; ++c) EXPECT_EQ(out.channels[c], own[c]);
            return;
        }
        auto& sum = bus[row.parent];
        for (std::size_t c = 0; c < 2; ++c) {
            sum[c].resize(own[c].size(), 0.0F);
            for (std::size_t i = 0; i < own[c].size(); ++i) sum[c][i] += own[c][i];
        }
    }
    FAIL() << "there was no main row";
}

TEST(Render, StemsSumToBusInputsAndToTheMix) {
    const TempFolder folder;
    const RenderReport report =
        renderStems(busySession(), test::sharedStore(), {}, folder / "stems");
    test::accuracy("stems before the buses against the buses' inputs", "<= -120 dBFS",
                   report.stems.preBusDb, "dB", report.stems.preBusDb <= -120.0);
    test::accuracy("stems through the buses against the mix", "<= -120 dBFS",
                   report.stems.throughBusesDb, "dB", report.stems.throughBusesDb <= -120.0);
    EXPECT_LT(report.stems.preBusDb, -120.0);
    EXPECT_TRUE(report.stems.busesReplayExactly);
    EXPECT_LT(report.stems.throughBusesDb, -120.0);
    // The report is about the files: add up those of one bus ourselves.
    EXPECT_GE(report.files.size(), 20U);
    const AudioBuffer whole = renderMix(busySession(), test::sharedStore(), {});
    std::vector<double> sum(whole.frames(), 0.0);
    int count = 0;
    for (const fs::path& file : report.files) {
        if (file.parent_path().filename() != "through-buses") continue;
        const AudioBuffer stem = readAudio(file);
        ASSERT_EQ(stem.frames(), whole.frames());
        for (std::size_t i = 0; i < sum.size(); ++i)
            sum[i] += static_cast<double>(stem.channels[0][i]);
        ++count;
    }
    ASSERT_GT(count, 5);
    double worst = 0.0;
    for (std::size_t i = 0; i < sum.size(); ++i)
        worst = std::max(worst, std::abs(sum[i] - static_cast<double>(whole.channels[0][i])));
    EXPECT_LT(dbFromGain(worst), -120.0);
}

// What a row is of the mix, with buses that press, filter and give back level.
TEST(Render, PartsOfAllElementsSumToTheMix) {
    Session s = demo::demoMix(test::shortSession());
    s = withValue(std::move(s), "snare-bus", "compressor", "threshold", -25.0);
    s = withValue(std::move(s), "snare-bus", "eq", "output", -2.5);
    s = withStageAdded(std::move(s), "drum-bus", "gate");
    s = withValue(std::move(s), "drum-bus", "gate", "threshold", -30.0);
    s = withValue(std::move(s), "drum-bus", "gate", "output", 3.0);
    const AudioBuffer mix = renderMix(s, test::sharedStore(), {});
    std::vector<std::vector<double>> sum(2, std::vector<double>(mix.frames(), 0.0));
    int parts = 0;
    for (const Row& row : s.rows) {
        if (row.kind != RowKind::element) continue;
        const AudioBuffer part = renderPart(s, test::sharedStore(), row.id, {});
        ASSERT_EQ(part.frames(), mix.frames()) << row.id;
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < mix.frames(); ++i)
                sum[c][i] += static_cast<double>(part.channels[c][i]);
        }
        ++parts;
    }
    EXPECT_GE(parts, 8);
    double worst = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < mix.frames(); ++i)
            worst = std::max(worst, std::abs(sum[c][i] - static_cast<double>(mix.channels[c][i])));
    }
    EXPECT_LT(dbFromGain(worst), -110.0);
    EXPECT_NE(test::errorOf([&] { renderPart(s, test::sharedStore(), "main", {}); }), "");
    EXPECT_NE(test::errorOf([&] { renderPart(s, test::sharedStore(), "nobody", {}); }), "");
}

TEST(Render, LeavesGuestsAndReferencesOutUnlessAsked) {
    Session session = test::shortSession();
    for (Row& row : session.rows) row.mute = row.kind == RowKind::element;
    EXPECT_LT(test::peakDb(mix(session, 4096, 1).channels[0]), -140.0);
    RenderOptions options;
    options.withGuests = true;
    EXPECT_GT(test::peakDb(renderMix(session, test::sharedStore(), options).channels[0]), -40.0);
}

TEST(Render, APieceIsThatPieceOfTheWhole) {
    const Session session = busySession();
    const AudioBuffer whole = mix(session, 4096, 1);
    RenderOptions options;
    options.from = 2.0;
    options.to = 5.5;
    const AudioBuffer piece = renderMix(session, test::sharedStore(), options);
    ASSERT_EQ(piece.frames(), static_cast<std::size_t>(3.5 * 48000));
    EXPECT_TRUE(std::equal(piece.channels[1].begin(), piece.channels[1].end(),
                           whole.channels[1].begin() + 96000));
}

TEST(Render, WritesTheDepthAskedForAndSaysWhatItMeasured) {
    const TempFolder folder;
    for (const auto& [depth, step] :
         {std::pair{SampleDepth::pcm16, 1.5 / 32768},  // with its dither
          {SampleDepth::pcm24, 1.0 / 8388608},
          {SampleDepth::float32, 0.0}}) {
        const fs::path file = folder / "mix.wav";
        const RenderReport report =
            renderToFile(busySession(), test::sharedStore(), {}, file, depth);
        const AudioBuffer back = readAudio(file), wanted = mix(busySession(), 4096, 1);
        ASSERT_EQ(back.frames(), wanted.frames());
        for (std::size_t i = 0; i < back.frames(); i += 7)
            ASSERT_NEAR(back.channels[0][i], wanted.channels[0][i], step + 1e-9);
        EXPECT_NEAR(report.loudness.integrated, measureLoudness(file).integrated, 0.05);
    }
}

TEST(Render, NeverWritesOverARecordingAndLeavesNothingWhenCancelled) {
    const TempFolder folder;
    const auto audio = test::noise(0.3, 96000);
    test::writeMono(folder / "take.wav", audio);
    const std::string before = test::readText(folder / "take.wav");
    const Session session = test::oneElement(folder / "take.wav");
    const std::string sentence = test::errorOf([&] {
        renderToFile(session, test::sharedStore(), {}, folder / "take.wav", SampleDepth::pcm24);
    });
    EXPECT_NE(sentence.find("take.wav"), std::string::npos) << sentence;
    EXPECT_EQ(test::readText(folder / "take.wav"), before);
    int calls = 0;
    EXPECT_THROW(
        renderToFile(session, test::sharedStore(), {}, folder / "out.wav", SampleDepth::pcm24,
                     [&](double, const std::string&) { return ++calls < 2; }),
        Cancelled);
    for (const auto& item : fs::directory_iterator(folder.path()))
        EXPECT_NE(item.path().extension(), ".part") << item.path();
    EXPECT_FALSE(fs::exists(folder / "out.wav"));
}

TEST(Render, SaysWhichRecordingIsMissingAndPlaysTheRest) {
    Session session = test::shortSession();
    requireRow(session, "hat").sources[0].file = "/nowhere/hat.wav";
    RenderReport report;
    const AudioBuffer out = renderMix(session, test::sharedStore(), {}, &report);
    ASSERT_EQ(report.problems.size(), 1U);
    EXPECT_NE(report.problems[0].find("Hat"), std::string::npos);
    EXPECT_GT(test::peakDb(out.channels[0]), -40.0);
}

TEST(Render, StopsNonsenseNumbersAtTheirElement) {
    const TempFolder folder;
    auto audio = test::noise(0.2, 48000);
    audio[1000] = std::numeric_limits<float>::quiet_NaN();
    audio[2000] = std::numeric_limits<float>::infinity();
    test::writeMono(folder / "bad.wav", audio);
    const AudioBuffer out =
        renderMix(test::oneElement(folder / "bad.wav"), test::sharedStore(), {});
    for (const float x : out.channels[0]) ASSERT_TRUE(std::isfinite(x));
    EXPECT_GT(test::peakDb(out.channels[0]), -20.0);
}

TEST(Render, CompensatesLatencyOnEveryPath) {
    const TempFolder folder;
    const auto audio = test::noise(0.2, 48000, 9);
    test::writeMono(folder / "a.wav", audio);
    // The same recording twice, once through a look-ahead that does nothing else, once turned over.
    Session session = test::oneElement(folder / "a.wav");
    Row twin = session.rows[0];
    twin.id = "twin";
    session.rows.insert(session.rows.begin() + 1, twin);
    session = withValue(session, "one", "compressor", "look-ahead", 7.0);
    session = withValue(session, "one", "compressor", "threshold", 0.0);
    session = withValue(session, "one", "gate", "threshold", -80.0);
    session = withValue(session, "one", "gate", "floor", 0.0);
    session = withValue(session, "one", "gate", "look-ahead", 4.0);
    session = withValue(session, "twin", "align", "polarity", 1.0);
    const double left = test::peakDb(mix(session, 4096, 2).channels[0]);
    test::accuracy("look-ahead path against the dry path", "<= -120 dBFS", left, "dB",
                   left <= -120.0);
    EXPECT_LT(left, -120.0);
}

// With whole-number latencies, a path with every processor that needs time but does nothing nulls
// against the dry one, for signals below 0.45 of the rate.
TEST(Render, OversampledPathsAreInTimeToo) {
    const TempFolder folder;
    std::vector<float> audio(96000, 0.0F);
    for (const double hertz : {60.0, 700.0, 5200.0, 20500.0}) {
        const auto s = test::sine(hertz, 0.05, audio.size(), 48000.0);
        for (std::size_t i = 0; i < audio.size(); ++i) audio[i] += s[i];
    }
    test::writeMono(folder / "a.wav", audio);
    Session session = test::oneElement(folder / "a.wav");
    Row twin = session.rows[0];
    twin.id = "twin";
    session.rows.insert(session.rows.begin() + 1, twin);
    session = withValue(session, "twin", "align", "polarity", 1.0);
    for (const char* type : {"clipper", "exciter", "limiter", "transient", "de-harsher"}) {
        session = withStageAdded(session, "one", type);
        session = withStageOn(session, "one", type, true);
    }
    session = withValue(session, "one", "clipper", "ceiling", 0.0);
    session = withValue(session, "one", "de-harsher", "threshold", 0.0);
    const AudioBuffer out = mix(session, 4096, 2);
    const std::vector<float> middle(out.channels[0].begin() + 8000, out.channels[0].end() - 8000);
    const double left = test::peakDb(middle);
    test::accuracy("oversampled path against the dry path, to 0.45 fs", "<= -120 dBFS", left, "dB",
                   left <= -120.0);
    EXPECT_LT(left, -120.0);
}

TEST(Render, AStagePassedByNullsAgainstAPureDelay) {
    const TempFolder folder;
    const auto audio = test::noise(0.2, 48000, 4);
    test::writeMono(folder / "a.wav", audio);
    for (const ProcessorType& type : processorTypes()) {
        if (type.home == Column::align || type.home == Column::seat) continue;
        Session session = test::oneElement(folder / "a.wav");
        if (findStage(session.rows[0], type.id) == nullptr)
            session = withStageAdded(session, "one", type.id);
        Stage& s = requireStage(requireRow(session, "one"), type.id);
        s.values[0] = fromPosition(type.table[0], 0.9);
        s.on = false;
        EXPECT_EQ(mix(session, 4096, 1).channels[0], audio) << type.id;
    }
}

TEST(Render, GoesOnUntilItIsQuiet) {
    const TempFolder folder;
    test::writeMono(folder / "n.wav", test::noise(0.5F, 48000, 9));
    Session s = test::oneElement(folder / "n.wav");
    std::string row;
    for (const Row& r : s.rows) row = hasSources(r.kind) ? r.id : row;
    s = withValue(s, row, "align", "delay", 20.0);
    RenderOptions options;
    const auto cut = renderMix(s, test::sharedStore(), options);
    EXPECT_EQ(cut.frames(), 48000U) << "asked for the recording's time only";
    options.tail = true;
    RenderReport report;
    const auto whole = renderMix(s, test::sharedStore(), options, &report);
    EXPECT_EQ(report.tail, 960);
    ASSERT_EQ(whole.frames(), 48960U);
    EXPECT_GT(test::peakDb(whole.channels[0], 48900), -20.0) << "the end of a delayed row is there";
    // Stems are as long as the mix.
    const RenderReport stems = renderStems(s, test::sharedStore(), options, folder / "stems");
    EXPECT_EQ(stems.frames, report.frames);
    EXPECT_LT(stems.stems.throughBusesDb, -120.0);
}

}  // namespace
}  // namespace ember
