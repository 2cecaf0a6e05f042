// A drum that is turned in a microphone is known wherever a session is told, proved or delivered.
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/collect.h"
#include "core/report/ledger.h"
#include "core/report/recall.h"
#include "core/session/bleed.h"
#include "core/session/file.h"
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

}  // namespace
}  // namespace ember
