// A drum that is turned in a microphone is known wherever a session is told, proved or delivered.
#include "core/advise/bleed_start.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/collect.h"
#include "core/report/ledger.h"
#include "core/report/recall.h"
#include "core/session/bleed.h"
#include "core/session/file.h"
#include "core/session/kit.h"
#include "core/session/layers.h"
#include "core/session/routing.h"
#include "tests/support/measured_kit.h"

#include <cmath>

namespace ember {
namespace {

// The demo kit with the kick and the snare's own body turned in the snare's microphone.
const Session& turnedSnare() {
    static const Session session = [] {
        const Session& kit = test::measuredKit().session;
        const std::string model = bleedModelFor(kit, test::sharedStore());
        return withDrumTurned(withDrumTurned(kit, "snare-top", "kick", -24.0, model), "snare-top",
                              "snare", -6.0, model);
    }();
    return session;
}

TEST(BleedEverywhere, StemsOfATurnedMicrophoneAddUp) {
    const test::TempFolder folder;
    RenderOptions options;
    options.to = 6.0;
    const RenderReport report =
        renderStems(turnedSnare(), test::sharedStore(), options, folder / "stems");
    EXPECT_LT(report.stems.preBusDb, -120.0);
    EXPECT_LT(report.stems.throughBusesDb, -120.0);
}

TEST(BleedEverywhere, TheLedgerHasItsLineAndTheOrderTestSaysThatItStays) {
    const test::MeasuredKit& kit = test::measuredKit();
    const Ledger ledger =
        transientLedger(turnedSnare(), kit.kit.strokes, test::sharedStore(), "snare-top");
    ASSERT_GE(ledger.lines.size(), 2U);
    EXPECT_EQ(ledger.lines[1].stage, "bleed");
    EXPECT_NEAR(ledger.lines[1].peakDb, ledger.lines[0].peakDb - 6.0, 1.0)
        << "its own drum was turned down";
    EXPECT_NE(test::errorOf([&] {
                  testOrder(turnedSnare(), kit.kit.strokes, test::sharedStore(), "snare-top",
                            "bleed");
              }).find("with Bleed behind it"),
              std::string::npos);
}

TEST(BleedEverywhere, TheRecallSheetSaysWhatEveryDrumIsTurnedTo) {
    const Document document(turnedSnare());
    const RecallSheet sheet = recallSheet(document, {});
    std::string told;
    for (const RecallRow& row : sheet.rows) {
        for (const RecallStep& step : row.steps) {
            if (row.id != "snare-top" || step.type != "bleed") continue;
            for (const RecallValue& v : step.values) told += v.label + " " + v.value + "; ";
        }
    }
    EXPECT_NE(told.find("Kick −24.0 dB"), std::string::npos) << told;
    EXPECT_NE(told.find("Snare −6.0 dB"), std::string::npos) << told;
}

TEST(BleedEverywhere, ACollectedSessionPlaysTheSameElsewhere) {
    const test::TempFolder folder;
    const Document document(turnedSnare());
    const Collected collected = collectSession(document, test::sharedStore(), folder / "collected");
    AudioStore elsewhere(folder / "cache");
    const Session there =
        withAbsolutePaths(loadDocument(collected.session).session(), collected.session);
    bringModelsFrom(there, elsewhere, collected.session);
    RenderOptions options;
    options.to = 3.0;
    EXPECT_EQ(renderMix(there, elsewhere, options),
              renderMix(turnedSnare(), test::sharedStore(), options));
}

// A drum of a microphone as a row of its own, into a bus that plays nothing else.
struct Alone {
    std::string model = bleedModelFor(test::measuredKit().session, test::sharedStore());
    std::vector<std::string> drums = findBleedModel(test::sharedStore(), model)->drums;
    NewRow made = withDrumAlone(withBusAdded(test::measuredKit().session, "Hall"), "snare-top",
                                "snare", "hall", drums, model);
};

TEST(DrumAlone, PlaysWhatTheMicrophoneHoldsOfItAndFeedsItsBus) {
    const Alone alone;
    const Session& s = alone.made.session;
    EXPECT_EQ(alone.made.row, "snare-alone");
    EXPECT_EQ(findRow(s, "snare-alone")->parent, "hall");
    // The microphone with everything else turned to silence, through a seat that does nothing.
    RenderOptions options;
    options.to = 6.0;
    Session apart = heardApart(test::measuredKit().session, "snare-top", "snare", BleedHearing::one,
                               alone.drums, alone.model);
    Row& mic = requireRow(apart, "snare-top");
    mic.parent = "main";
    mic.chain = {mic.chain[0], mic.chain[1], makeChain(RowKind::element).back()};
    Session hall = s;
    requireRow(hall, "snare-alone").solo = true;
    const AudioBuffer wanted = renderMix(apart, test::sharedStore(), options),
                      heard = renderMix(hall, test::sharedStore(), options);
    ASSERT_EQ(wanted.channels.size(), heard.channels.size());
    double most = 0.0, loudest = 0.0;
    for (std::size_t i = 0; i < std::min(wanted.channels[0].size(), heard.channels[0].size());
         ++i) {
        most = std::max(most, std::abs(static_cast<double>(wanted.channels[0][i]) -
                                       static_cast<double>(heard.channels[0][i])));
        loudest = std::max(loudest, std::abs(static_cast<double>(wanted.channels[0][i])));
    }
    EXPECT_GT(loudest, 0.01);
    EXPECT_LT(dbFromGain(most / loudest), -100.0);
}

TEST(DrumAlone, GoesWithItsMicrophoneInTimeUntilItIsMovedItself) {
    const Alone alone;
    Document document(alone.made.session);
    const auto delay = [&](const char* row) {
        const Stage& align = *findStage(*findRow(document.session(), row), "align");
        return align.values[parameterIndex(processorType("align").table, "delay")];
    };
    const auto move = [&](const char* row, double ms, const char* gesture = "") {
        document.edit(withValue(document.session(), row, "align", "delay", ms), gesture);
    };
    // A drag, and all of it taken back at once.
    for (const double ms : {0.5, 1.0, 1.5}) move("snare-top", ms, "drag");
    EXPECT_DOUBLE_EQ(delay("snare-alone"), 1.5);
    document.undo();
    EXPECT_DOUBLE_EQ(delay("snare-alone"), delay("snare-top"));
    EXPECT_EQ(document.session(), alone.made.session);
    document.redo();
    EXPECT_DOUBLE_EQ(delay("snare-alone"), 1.5);
    move("snare-alone", 3.0);
    move("snare-top", 0.0);
    EXPECT_DOUBLE_EQ(delay("snare-alone"), 3.0) << "whoever moved it meant it";
}

TEST(DrumAlone, IsNoMicrophoneMoreAndLastsWithTheSession) {
    const Alone alone;
    const Session& s = alone.made.session;
    const Row& row = *findRow(s, "snare-alone");
    EXPECT_TRUE(isPart(row));
    EXPECT_EQ(micOf(row), "snare-top");
    EXPECT_FALSE(isPart(*findRow(s, "snare-top")));
    EXPECT_EQ(recordingsKey(s, test::sharedStore()),
              recordingsKey(test::measuredKit().session, test::sharedStore()));
    EXPECT_EQ(kitMics(s, test::sharedStore()).mics.size(),
              kitMics(test::measuredKit().session, test::sharedStore()).mics.size());
    // A snare stays a snare's, whoever is named anew.
    EXPECT_EQ(findRow(withDrums(s), "snare-alone")->drum, "snare");
    // Saved, opened and played alone: what it plays by is found without the microphone.
    const Session back = documentFromJson(toJson(Document(s)), "mix.json").session();
    EXPECT_EQ(*findRow(back, "snare-alone"), row);
    RenderReport report;
    renderMix(withRowsAndKeys(s, {"snare-alone", "hall", mainRow(s)}), test::sharedStore(),
              {.to = 2.0}, &report);
    EXPECT_TRUE(report.problems.empty());
    const Session gone = withRowRemoved(s, "snare-alone");
    EXPECT_EQ(gone, withBusAdded(test::measuredKit().session, "Hall"));
    // The rest and drums without a microphone have rows, too; nonsense has none.
    EXPECT_EQ(
        findRow(withDrumAlone(s, "overhead", kNoDrum, "hall", alone.drums, alone.model).session,
                "rest-of-overhead")
            ->drum,
        "");
    EXPECT_NE(test::errorOf([&] {
                  withDrumAlone(s, "drum-bus", "snare", "hall", alone.drums, alone.model);
              }).find("plays no recording"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] {
                  withDrumAlone(s, "snare-top", "cowbell", "hall", alone.drums, alone.model);
              }),
              "");
    EXPECT_NE(test::errorOf([&] {
                  withDrumAlone(s, "snare-top", "kick", "hall", {"snare"}, alone.model);
              }).find("was not struck"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] {
                  withDrumAlone(s, "snare-top", "snare", "hat", alone.drums, alone.model);
              }).find("is no bus"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
