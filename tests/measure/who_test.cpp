// Who is who, by sound alone and with every third name missing, on kits of both worlds that nothing
// was fitted on.

#include "core/measure/who/who.h"

#include "tests/support/accuracy.h"
#include "tests/support/worlds.h"

#include <gtest/gtest.h>

#include <iostream>

namespace ember {
namespace {

using test::Half;
using test::World;

// Microphones of one kind.
int family(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            return 1;
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
            return 2;
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
            return 3;
        case Role::ride:
        case Role::crash:
            return 4;
        default:
            return 10 + static_cast<int>(role);
    }
}

struct Score {
    int rows = 0, right = 0, sure = 0, sureWrong = 0;
    void count(const MicSignal& mic, const Who& who) {
        const bool good = family(who.role) == family(mic.role) && who.identity.sure >= kSureEnough;
        const bool sureOf = who.identity.sure >= kSureEnough;
        ++rows;
        right += family(who.role) == family(mic.role) ? 1 : 0;
        sure += sureOf ? 1 : 0;
        sureWrong += sureOf && !good ? 1 : 0;
    }
    [[nodiscard]] double percent(int n) const { return 100.0 * n / std::max(1, rows); }
};

std::vector<Candidate> candidatesOf(const KitMics& kit, int namedOf) {
    std::vector<Candidate> out;
    int n = 0;
    for (const MicSignal& mic : kit.mics) {
        Candidate c;
        for (const auto& channel : mic.channels) c.channels.push_back(channel);
        c.offset = mic.offset;
        if (namedOf > 0 && ++n % namedOf != 0) {
            c.named = mic.role;
            c.namedSure = 0.95;
        }
        out.push_back(std::move(c));
    }
    return out;
}

Score listen(World world, Half half, int kits, int namedOf) {
    Score score;
    for (int n = 0; n < kits; ++n) {
        const auto truth = test::worldKit(world, half, n, demo::MicSet::full, 44.0);
        const auto candidates = candidatesOf(truth->kit(), namedOf);
        const std::vector<Who> found = whoIsWho(candidates, truth->kit().sampleRate);
        for (std::size_t i = 0; i < found.size(); ++i) {
            // What a name told is the name's; what is asked is what sound finds.
            score.count(truth->kit().mics[i], found[i]);
        }
    }
    return score;
}

TEST(Who, IsToldBySoundAndByTheSet) {
    for (const World world : {World::simulated, World::recorded}) {
        if (world == World::recorded && !test::haveSmallSet()) continue;
        const std::string where = std::string(", ") + test::nameOf(world);
        const int kits = test::allKits() ? 10 : 2;
        const Score none = listen(world, Half::judged, kits, 0);
        const Score third = listen(world, Half::judged, kits, 3);
        test::accuracy("who is who, no names" + where, ">= 85 %", none.percent(none.right), "%",
                       none.percent(none.right) >= 85.0);
        test::accuracy("who is who, no names: called sure" + where, ">= 75 %",
                       none.percent(none.sure), "%", none.percent(none.sure) >= 75.0);
        test::accuracy("who is who, no names: wrong though sure" + where, "< 2 %",
                       none.percent(none.sureWrong), "%", none.percent(none.sureWrong) < 2.0);
        test::accuracy("who is who, a third unnamed" + where, ">= 95 %", third.percent(third.right),
                       "%", third.percent(third.right) >= 95.0);
        test::accuracy("who is who, a third unnamed: called sure" + where, ">= 90 %",
                       third.percent(third.sure), "%", third.percent(third.sure) >= 90.0);
        test::accuracy("who is who, a third unnamed: wrong though sure" + where, "< 2 %",
                       third.percent(third.sureWrong), "%", third.percent(third.sureWrong) < 2.0);
        if (test::allKits()) {
            const Score fitted = listen(world, Half::fitted, kits, 0);
            test::accuracy("who is who, no names, kits fitted on" + where, ">= 85 %",
                           fitted.percent(fitted.right), "%", fitted.percent(fitted.right) >= 85.0);
        }
        EXPECT_GE(none.percent(none.right), 70.0) << where;
        EXPECT_GE(third.percent(third.right), 85.0) << where;
        EXPECT_LE(third.percent(third.sureWrong), 8.0) << where;
    }
}

// A wrong name does not stand against everything one hears.
TEST(Who, ExchangedNamesMakeUnsure) {
    const auto truth = test::worldKit(World::simulated, Half::judged, 0, demo::MicSet::full, 30.0);
    std::vector<Candidate> candidates = candidatesOf(truth->kit(), 1000);
    std::size_t kick = 0, overhead = 0;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        if (truth->kit().mics[i].role == Role::kickIn) kick = i;
        if (truth->kit().mics[i].role == Role::overhead) overhead = i;
    }
    std::swap(candidates[kick].named, candidates[overhead].named);
    const auto found = whoIsWho(candidates, truth->kit().sampleRate);
    EXPECT_LT(found[kick].identity.sure, kSureEnough);
    EXPECT_LT(found[overhead].identity.sure, kSureEnough);
    ASSERT_FALSE(found[kick].identity.alternatives.empty());
    EXPECT_EQ(family(found[kick].identity.alternatives.front().role), family(Role::kickIn));
}

TEST(Who, SilenceAndGuestsAreLeftAlone) {
    const std::vector<float> silence(48000, 0.0F);
    Candidate quiet, guest;
    quiet.channels = {silence};
    guest.channels = {silence};
    guest.kind = RowKind::guest;
    const auto found = whoIsWho({quiet, guest}, 48000.0);
    EXPECT_EQ(found[0].role, Role::unknown);
    EXPECT_EQ(found[1].kind, RowKind::guest);
}

}  // namespace
}  // namespace ember
