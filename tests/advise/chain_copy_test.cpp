// A chain copied from one tom to the other: tuned to its note, fitted to its strokes.

#include "core/advise/chain_copy.h"

#include "core/base/error.h"
#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

class ChainCopy : public testing::Test {
  protected:
    ChainCopy() : session(test::shortSession()) {
        session = withValue(session, "rack-tom", "eq", "b3.on", 1.0);
        session = withValue(session, "rack-tom", "eq", "b3.frequency", 240.0);
        session = withValue(session, "rack-tom", "eq", "b7.on", 1.0);
        session = withValue(session, "rack-tom", "eq", "b7.frequency", 5000.0);
        session = withValue(session, "rack-tom", "gate", "threshold", -30.0);
        session = withStageAdded(session, "rack-tom", "saturation");
        requireStage(requireRow(session, "rack-tom"), "gate").key = "floor-tom";
        for (const auto& [drum, hertz] : {std::pair{"rack-tom", 120.0}, {"floor-tom", 80.0}}) {
            DrumTone tone;
            tone.drum = drum;
            tone.fundamental = hertz;
            kit.tone.push_back(tone);
        }
        for (const auto& [mic, peak] : {std::pair{"rack-tom", -10.0}, {"floor-tom", -16.0}}) {
            Separation s;
            s.mic = mic;
            s.ownDb = {peak - 1.0, peak, peak + 1.0};
            kit.separation.push_back(s);
        }
    }
    [[nodiscard]] double value(const Session& s, const char* stage, const char* parameter) const {
        const Stage& found = *findStage(*findRow(s, "floor-tom"), stage);
        const int index = parameterIndex(processorType(found.type).table, parameter);
        return found.values[static_cast<std::size_t>(index)];
    }
    Session session;
    KitMeasurement kit;
};

TEST_F(ChainCopy, IsTunedToTheNoteAndFittedToTheStrokes) {
    EXPECT_EQ(fitChain(session, kit, "rack-tom", "floor-tom"), (ChainFit{80.0 / 120.0, -6.0}));
    const Session copied = withChainCopied(session, kit, "rack-tom", "floor-tom");
    EXPECT_EQ(validate(copied), "");
    EXPECT_NEAR(value(copied, "eq", "b3.frequency"), 160.0, 1e-9);
    EXPECT_EQ(value(copied, "eq", "b7.frequency"), 5000.0) << "the stick does not follow the note";
    EXPECT_EQ(value(copied, "gate", "threshold"), -36.0);
    EXPECT_EQ(value(copied, "saturation", "from"), 20.0) << "off stays off";
    EXPECT_EQ(findStage(*findRow(copied, "floor-tom"), "gate")->key, "");
    // Its own place and time stay.
    EXPECT_EQ(findRow(copied, "floor-tom")->chain.front(),
              findRow(session, "floor-tom")->chain.front());
    EXPECT_EQ(findRow(copied, "floor-tom")->chain.back(),
              findRow(session, "floor-tom")->chain.back());
    EXPECT_EQ(*findRow(copied, "rack-tom"), *findRow(session, "rack-tom"));
}

TEST_F(ChainCopy, WhatIsNotKnownIsCopiedAsItIs) {
    const Session copied = withChainCopied(session, {}, "rack-tom", "floor-tom");
    EXPECT_EQ(value(copied, "eq", "b3.frequency"), 240.0);
    EXPECT_EQ(value(copied, "gate", "threshold"), -30.0);
    EXPECT_THROW(withChainCopied(session, kit, "rack-tom", "rack-tom"), Error);
    EXPECT_THROW(withChainCopied(session, kit, "rack-tom", "nobody"), Error);
}

TEST_F(ChainCopy, ValuesStayWithinTheirRange) {
    kit.separation[1].ownDb = {20.0, 20.0, 20.0};
    const Session copied = withChainCopied(session, kit, "rack-tom", "floor-tom");
    EXPECT_LE(value(copied, "gate", "threshold"), 0.0);
    EXPECT_EQ(validate(copied), "");
}

TEST_F(ChainCopy, SiblingsComeFirst) {
    const auto targets = chainTargets(session, "rack-tom");
    ASSERT_FALSE(targets.empty());
    EXPECT_EQ(targets.front(), "floor-tom");
    EXPECT_EQ(std::find(targets.begin(), targets.end(), "rack-tom"), targets.end());
    EXPECT_EQ(std::find(targets.begin(), targets.end(), "main"), targets.end());
}

}  // namespace
}  // namespace ember
