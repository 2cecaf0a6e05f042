#include "core/report/review.h"

#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

bool lists(const std::vector<ReviewItem>& items, ReviewItem::Kind kind, const std::string& row,
           const std::string& stage) {
    return std::any_of(items.begin(), items.end(), [&](const ReviewItem& i) {
        return i.kind == kind && i.row == row && i.stage == stage && !i.sentence.empty();
    });
}

TEST(Review, ANewSessionHasNothingLeftBehind) {
    const Session session = test::shortSession();
    for (const ReviewItem& item : reviewChains(session, {}))
        EXPECT_EQ(item.kind, ReviewItem::Kind::active) << item.sentence;
}

TEST(Review, WhatIsOnWithoutADecisionIsActive) {
    Session session = test::shortSession();
    Stage& gate = requireStage(requireRow(session, "hat"), "gate");
    gate.on = true;
    EXPECT_TRUE(lists(reviewChains(session, {}), ReviewItem::Kind::active, "hat", "gate"));
    gate.mark = Mark::decided;
    EXPECT_FALSE(lists(reviewChains(session, {}), ReviewItem::Kind::active, "hat", "gate"));
}

TEST(Review, SwitchedOffWithSettingsOrOnWithoutEffectIsALeftover) {
    Session session = withValue(test::shortSession(), "hat", "gate", "threshold", -44.0);
    session = withStageOn(std::move(session), "hat", "gate", false);
    session = withStageAdded(std::move(session), "hat", "clipper");
    session = withValue(std::move(session), "hat", "clipper", "ceiling", 0.0);
    session = withValue(std::move(session), "hat", "eq", "b5.on", 1.0);
    session = withValue(std::move(session), "hat", "eq", "b5.gain", -4.0);
    const auto kind = ReviewItem::Kind::leftover;
    const auto traces = trace(session, test::sharedStore(), {"hat"});
    const std::vector<ReviewItem> items = reviewChains(session, traces);
    EXPECT_TRUE(lists(items, kind, "hat", "gate"));
    EXPECT_TRUE(lists(items, kind, "hat", "clipper"));
    EXPECT_FALSE(lists(items, kind, "hat", "eq")) << "a cut is an effect";
    // Without a trace nothing is said of effects.
    EXPECT_FALSE(lists(reviewChains(session, {}), kind, "hat", "clipper"));
    session = withValue(std::move(session), "hat", "clipper", "ceiling", -24.0);
    EXPECT_FALSE(lists(reviewChains(session, trace(session, test::sharedStore(), {"hat"})), kind,
                       "hat", "clipper"));
}

}  // namespace
}  // namespace ember
