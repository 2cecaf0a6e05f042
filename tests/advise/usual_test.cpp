#include "core/advise/usual.h"

#include "tests/support/support.h"

#include <set>

namespace ember {
namespace {

constexpr Style kStyles[] = {Style::any,  Style::pop,  Style::rock,      Style::heavy,
                             Style::soul, Style::jazz, Style::electronic};

TEST(Usual, EveryRangeIsOneOfItsParameter) {
    for (const Style style : kStyles) {
        for (const Role role :
             {Role::kickIn, Role::snareTop, Role::floorTom, Role::hat, Role::overhead}) {
            for (const ProcessorType& type : processorTypes()) {
                std::set<std::string> seen;
                for (const UsualRange& r : usualRanges(role, type.id, style)) {
                    const int index = parameterIndex(type.table, r.parameter);
                    ASSERT_GE(index, 0) << type.id << "." << r.parameter;
                    const Parameter& p = type.table[static_cast<std::size_t>(index)];
                    EXPECT_LT(r.low, r.high);
                    EXPECT_GE(r.low, p.minimum);
                    EXPECT_LE(r.high, p.maximum);
                    EXPECT_TRUE(seen.insert(r.parameter).second) << "one a parameter";
                    EXPECT_TRUE(r.style == Style::any || r.style == style);
                }
            }
        }
    }
    EXPECT_TRUE(usualRanges(Role::unknown, "gate", Style::rock).empty());
}

TEST(Usual, DependsOnTheStyle) {
    const auto ratio = [](Style style) {
        for (const UsualRange& r : usualRanges(Role::snareTop, "compressor", style)) {
            if (r.parameter == "ratio") return r;
        }
        return UsualRange{};
    };
    EXPECT_LT(ratio(Style::jazz).high, ratio(Style::heavy).low) << "jazz is hardly pressed";
    EXPECT_EQ(ratio(Style::pop), ratio(Style::any)) << "no custom of its own";
    // A style changes ranges, it takes none away.
    for (const Style style : kStyles) {
        EXPECT_GE(usualRanges(Role::kickIn, "gate", style).size(),
                  usualRanges(Role::kickIn, "gate", Style::any).size());
        EXPECT_EQ(styleFrom(toString(style)), style);
        EXPECT_FALSE(styleLabel(style).empty());
    }
    EXPECT_NE(test::errorOf([] { styleFrom("polka"); }).find("known are any, pop"),
              std::string::npos);
}

TEST(Usual, StandsBesideWhatIsProposed) {
    Session session = test::shortSession();
    Proposal p;
    p.row = "snare-top";
    p.stage = "compressor";
    p.moves = {{"ratio", 4.0}, {"attack", 47.0}, {"knee", 6.0}};
    const std::vector<std::string> said = usualBeside(session, p);
    ASSERT_EQ(said.size(), 2U) << "no custom for the knee";
    EXPECT_EQ(said[1], "attack 47.0 ms, usually 5.00 ms to 30.0 ms");
    session.style = Style::jazz;
    EXPECT_EQ(usualBeside(session, p)[1], "attack 47.0 ms, usually 15.0 ms to 50.0 ms in jazz");
    p.row = "nobody";
    EXPECT_TRUE(usualBeside(session, p).empty());
}

}  // namespace
}  // namespace ember
