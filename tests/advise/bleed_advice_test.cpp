// Advice on bleed: what is proposed in each way of working, what it costs, and that what was
// foretold holds when the kit is played.
#include "core/advise/bleed.h"
#include "core/base/units.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/bleed.h"
#include "tests/support/measured_kit.h"
#include "tests/support/proposals.h"
#include "tests/support/recorded_kit.h"

#include <cmath>

namespace ember {
namespace {

struct BleedAccepted {
    std::vector<Proposal> proposals;  // with what was measured
    Session session;
};

const BleedHeard& demoApart() {
    static const BleedHeard heard = [] {
        const test::MeasuredKit& kit = test::measuredKit();
        AudioStore& store = test::sharedStore();
        return hearBleed(kit.session, store, kit.kit.strokes.strokes,
                         bleedModelFor(kit.session, store), PartsAs::recorded);
    }();
    return heard;
}

BleedAccepted acceptBleed(const Session& session, const KitMeasurement& kit,
                          const BleedHeard& heard, BleedSchool school) {
    BleedAccepted out;
    out.session = session;
    out.proposals = adviseBleed(session, heard, kit, school);
    for (const Proposal& p : out.proposals) {
        EXPECT_FALSE(isAccepted(out.session, p)) << p.id;
        out.session = accept(std::move(out.session), p, kit.strokes);
        EXPECT_TRUE(isAccepted(out.session, p)) << p.id;
    }
    EXPECT_EQ(validate(out.session), "");
    const BleedHeard after = hearBleed(out.session, test::sharedStore(), kit.strokes.strokes,
                                       heard.model, PartsAs::turned);
    for (Proposal& p : out.proposals) measureBleedEffects(p, out.session, after);
    return out;
}

void expectBleedForetold(const BleedAccepted& accepted, const char* which) {
    for (const Proposal& p : accepted.proposals) {
        EXPECT_FALSE(p.effects.empty()) << p.id;
        for (const Effect& e : p.effects) {
            ASSERT_TRUE(e.predicted && e.measured) << p.id << ", " << e.what;
            std::printf("%s %s, %s: %.1f -> %.1f, measured %.1f %s\n", which, p.id.c_str(),
                        e.what.c_str(), e.before.value_or(NAN), *e.predicted, *e.measured,
                        e.unit.c_str());
            EXPECT_NEAR(*e.measured, *e.predicted, 1.0) << which << " " << p.id << ", " << e.what;
        }
    }
}

const Effect& effectOf(const Proposal& p, EffectKind kind) {
    return *std::find_if(p.effects.begin(), p.effects.end(),
                         [&](const Effect& e) { return e.kind == kind; });
}

TEST(BleedAdvice, CleanTakesItOutOfTheCloseMicrophonesAsForetold) {
    const test::MeasuredKit& kit = test::measuredKit();
    const BleedAccepted done = acceptBleed(kit.session, kit.kit, demoApart(), BleedSchool::clean);
    expectBleedForetold(done, "clean");
    const Proposal* snare = test::find(done.proposals, "snare-top.bleed");
    ASSERT_NE(snare, nullptr);
    const Effect &between = effectOf(*snare, EffectKind::bleed),
                 &under = effectOf(*snare, EffectKind::under),
                 &ghosts = effectOf(*snare, EffectKind::standOut),
                 &cymbals = effectOf(*snare, EffectKind::cymbals);
    EXPECT_LT(*between.measured, *between.before - 8.0);
    EXPECT_LT(*under.measured, *under.before - 3.0);
    EXPECT_GT(*ghosts.measured, *ghosts.before + 1.5) << "ghost notes come out of the bleed";
    EXPECT_GT(*cymbals.measured, -1.0) << "the cymbals stay in the kit";
    for (const auto& [drum, db] : snare->turned) {
        EXPECT_NE(drum, "snare");
        EXPECT_GE(db, -24.0);
        EXPECT_LT(db, 0.0);
    }
    // No drum is missed: what every microphone gives of it together.
    const DrumSums sums(demoApart());
    const PartGains before = unturned(demoApart()), after = gainsOf(done.session, demoApart());
    for (std::size_t d = 0; d < demoApart().drums.size(); ++d)
        EXPECT_GT(sums.level(after, d), sums.level(before, d) - 3.1) << demoApart().drums[d];
    // The kick leaves the overheads, and stays where it was in the sum.
    const Proposal* kick = test::find(done.proposals, "overhead.bleed-kick");
    ASSERT_NE(kick, nullptr);
    EXPECT_LT(*effectOf(*kick, EffectKind::part).measured,
              *effectOf(*kick, EffectKind::part).before - 5.0);
    EXPECT_GT(*effectOf(*kick, EffectKind::together).measured, -1.5);
    for (const Proposal& p : done.proposals) {
        EXPECT_TRUE(p.row != "room") << "rooms keep the kit";
        EXPECT_EQ(p.step, "bleed");
        EXPECT_FALSE(p.reason.empty());
    }
    // What is turned already is not proposed again.
    for (const Proposal& p : adviseBleed(done.session, demoApart(), kit.kit, BleedSchool::clean)) {
        for (const Proposal& before : done.proposals) EXPECT_NE(p.row, before.row) << p.id;
    }
}

TEST(BleedAdvice, NaturalTakesHalfOfWhatStandsInTheWayAndLeavesTheRest) {
    const test::MeasuredKit& kit = test::measuredKit();
    const BleedAccepted done = acceptBleed(kit.session, kit.kit, demoApart(), BleedSchool::natural);
    expectBleedForetold(done, "natural");
    ASSERT_FALSE(done.proposals.empty());
    std::size_t turned = 0;
    for (const Proposal& p : done.proposals) {
        for (const auto& [drum, db] : p.turned) EXPECT_EQ(db, -6.0) << p.id << " " << drum;
        turned += p.turned.size();
        EXPECT_NE(p.row, "overhead");
    }
    std::size_t clean = 0;
    for (const Proposal& p : adviseBleed(kit.session, demoApart(), kit.kit, BleedSchool::clean))
        clean += p.turned.size();
    EXPECT_LT(turned, clean / 2);
}

TEST(BleedAdvice, LeavesWhatIsUnsureDeclinedMutedOrTurnedByHand) {
    const test::MeasuredKit& kit = test::measuredKit();
    Session s = kit.session;
    s.declined.push_back("snare-top.bleed");
    requireRow(s, "kick-in").who.sure = 0.2;
    s = withDrumTurned(std::move(s), "hat", "snare", -3.0, demoApart().model);
    requireRow(s, "ride").mute = true;
    const auto proposals = adviseBleed(s, demoApart(), kit.kit, BleedSchool::clean);
    EXPECT_FALSE(proposals.empty());
    for (const Proposal& p : proposals) {
        EXPECT_NE(p.row, "snare-top");
        EXPECT_NE(p.row, "hat");
        EXPECT_NE(p.row, "ride");
        EXPECT_NE(p.row, "kick-in") << "nobody is sure of it";
    }
    // A drum that was struck three times cannot be told apart by that.
    KitMeasurement few = kit.kit;
    int kept = 0;
    std::erase_if(few.strokes.strokes,
                  [&](const Stroke& x) { return x.drum == "kick" && ++kept > 3; });
    for (const Proposal& p : adviseBleed(kit.session, demoApart(), few, BleedSchool::clean)) {
        EXPECT_FALSE(p.turned.contains("kick")) << p.id;
        EXPECT_NE(p.row, "kick-in");
    }
}

TEST(BleedAdvice, HoldsOnDrumsThatWereRecorded) {
    const test::RecordedKit made =
        test::recordedKit(test::Half::judged, 0, demo::MicSet::full, 20.0, true);
    const test::MeasuredKit kit(made.options, made.sound);
    AudioStore& store = test::sharedStore();
    const BleedHeard heard = hearBleed(kit.session, store, kit.kit.strokes.strokes,
                                       bleedModelFor(kit.session, store), PartsAs::recorded);
    for (const BleedSchool school : {BleedSchool::clean, BleedSchool::natural})
        expectBleedForetold(acceptBleed(kit.session, kit.kit, heard, school),
                            school == BleedSchool::clean ? "recorded, clean" : "recorded, natural");
}

}  // namespace
}  // namespace ember
