#include "core/advise/usual.h"

#include "tests/support/support.h"

namespace ember {
namespace {

TEST(Usual, EveryRangeIsOneOfItsParameter) {
    for (const Role role :
         {Role::kickIn, Role::snareTop, Role::floorTom, Role::hat, Role::overhead}) {
        for (const ProcessorType& type : processorTypes()) {
            for (const UsualRange& r : usualRanges(role, type.id)) {
                const int index = parameterIndex(type.table, r.parameter);
                ASSERT_GE(index, 0) << type.id << "." << r.parameter;
                const Parameter& p = type.table[static_cast<std::size_t>(index)];
                EXPECT_LT(r.low, r.high);
                EXPECT_GE(r.low, p.minimum);
                EXPECT_LE(r.high, p.maximum);
            }
        }
    }
    EXPECT_TRUE(usualRanges(Role::unknown, "gate").empty());
}

TEST(Usual, StandsBesideWhatIsProposed) {
    const Session session = test::shortSession();
    Proposal p;
    p.row = "snare-top";
    p.stage = "compressor";
    p.moves = {{"ratio", 4.0}, {"attack", 47.0}, {"knee", 6.0}};
    const std::vector<std::string> said = usualBeside(session, p);
    ASSERT_EQ(said.size(), 2U) << "no custom for the knee";
    EXPECT_EQ(said[1], "attack 47.0 ms, usually 5.00 ms to 30.0 ms");
    p.row = "nobody";
    EXPECT_TRUE(usualBeside(session, p).empty());
}

}  // namespace
}  // namespace ember
