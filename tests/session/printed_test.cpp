#include "core/session/printed.h"

#include "core/dsp/seat.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

namespace ember {
namespace {

Session withParallel() {
    Session s = withBusAdded(test::shortSession(), "dirt");
    s = withSend(std::move(s), "snare-top", {"dirt"});
    s = withStageAdded(std::move(s), "dirt", "saturation");
    return withValue(std::move(s), "dirt", "seat", "level", -7.5);
}

PrintedOf madeOf(const Session& session, double semitones = 0.0) {
    return {"dirt", recipeOf(session, "dirt"), semitones, 7};
}

std::vector<Source> audio(const char* hash) {
    return {{"dirt.wav", hash, 0, 0.0}, {"dirt.wav", hash, 1, 0.0}};
}

TEST(PrintedRow, StandsWhereWhatItWasPrintedOfStood) {
    const Session s = withParallel();
    const NewRow made = withPrintedRow(s, audio("a"), madeOf(s, -5.0));
    const Row& row = *findRow(made.session, made.row);
    EXPECT_EQ(validate(made.session), "");
    EXPECT_EQ(row.name, "dirt −5.0 st");
    EXPECT_EQ(row.parent, "main");
    EXPECT_EQ(row.chain.back().values[Seat::level], -7.5);
    EXPECT_TRUE(findRow(made.session, "dirt")->mute);
    EXPECT_TRUE(isMade(row)) << "nothing is listened for in it";
    EXPECT_FALSE(isMade(*findRow(s, "snare-top")));
    EXPECT_TRUE(printedIsNew(made.session, row));
    EXPECT_THROW(withPrintedRow(s, audio("a"), {"main", {}, 0.0, 0}), Error);
    EXPECT_THROW(withPrintedRow(s, audio("a"), {"nobody", {}, 0.0, 0}), Error);
}

TEST(PrintedRow, IsOldOnceWhatItWasPrintedOfIsAnotherAndNewOncePrintedAgain) {
    const Session s = withParallel();
    const NewRow made = withPrintedRow(s, audio("a"), madeOf(s));
    const Session moved = withValue(made.session, "dirt", "saturation", "drive", 20.0);
    EXPECT_FALSE(printedIsNew(moved, *findRow(moved, made.row)));
    const Session again = withPrintedAnew(moved, made.row, audio("b"), madeOf(moved));
    EXPECT_TRUE(printedIsNew(again, *findRow(again, made.row)));
    EXPECT_EQ(findRow(again, made.row)->sources[0].hash, "b");
    EXPECT_THROW(withPrintedAnew(moved, "hat", audio("b"), madeOf(moved)), Error);
    const Session gone = withBusRemoved(made.session, "dirt");
    EXPECT_FALSE(printedIsNew(gone, *findRow(gone, made.row)))
        << "nothing is there to compare with";
}

}  // namespace
}  // namespace ember
