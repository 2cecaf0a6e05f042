// The first pass accepted whole, in either school, judged by what is rendered; and a kit that is
// clean already.

#include "core/advise/proposal.h"
#include "core/engine/render.h"
#include "core/measure/kit/bleed.h"
#include "core/report/ledger.h"
#include "tests/support/accuracy.h"
#include "tests/support/measured_kit.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

struct School {
    const char* name;
    Ways how;
};
const School kSchools[] = {{"strokes, punch, clean", {}},
                           {"level, density, coloured",
                            {AlignSchool::withinDrum, GateSchool::byLevel, EqSchool::later,
                             DynamicsSchool::density, ColourSchool::coloured}}};

// Everything proposed, accepted; figures measured.
struct Accepted {
    Session session;
    std::vector<Proposal> proposals;
};
Accepted acceptAll(const Session& session, const KitMeasurement& kit, const Ways& how) {
    Accepted out{session, advise(session, kit, how)};
    for (const Proposal& p : out.proposals)
        out.session = accept(std::move(out.session), p, kit.strokes);
    return out;
}

class FirstPass : public testing::TestWithParam<School> {};

TEST_P(FirstPass, MovesTheKitTheRightWay) {
    const test::MeasuredKit& m = test::measuredKit();
    Accepted pass = acceptAll(m.session, m.kit, GetParam().how);
    ASSERT_EQ(validate(pass.session), "");
    int bleed = 0, rings = 0, lowMids = 0;
    for (Proposal& p : pass.proposals) {
        measureEffects(p, pass.session, m.kit, test::sharedStore());
        for (const Effect& e : p.effects) {
            if (!e.measured || !e.before) continue;
            if (e.what == "bleed between strokes") {
                ++bleed;
                if (GetParam().how.gate == GateSchool::byStrokes) {
                    EXPECT_LT(*e.measured, -6.0) << p.id;
                }
                // A level that cannot tell drum from bleed says so beforehand.
                EXPECT_NEAR(*e.measured, *e.predicted, 7.0) << p.id;
            }
            if (e.what.starts_with("ring at")) {
                ++rings;
                EXPECT_LT(*e.measured, *e.before - 3.0) << p.id;
            }
            if (e.what == "its low mids") {
                ++lowMids;
                EXPECT_LT(*e.measured, *e.before - 0.5) << p.id;
            }
            if (e.what == "attack against body" && e.predicted) {
                // No punch lost beyond what was said, but for strokes that follow at once.
                EXPECT_GT(*e.measured, std::min(*e.before, *e.predicted) - 0.6) << p.id;
            }
        }
    }
    EXPECT_GT(bleed, 2);
    EXPECT_GT(rings, 0);
    RenderReport before, after;
    (void)renderMix(m.session, test::sharedStore(), {}, &before);
    (void)renderMix(pass.session, test::sharedStore(), {}, &after);
    const double crestBefore = before.loudness.truePeak - before.loudness.integrated,
                 crestAfter = after.loudness.truePeak - after.loudness.integrated;
    EXPECT_LT(after.loudness.truePeak, -3.0) << "headroom is left";
    EXPECT_GT(after.loudness.integrated, -40.0) << "and something to hear";
    EXPECT_GT(crestAfter, crestBefore - 3.0) << "the kit still hits";
    const std::string what = std::string("first pass (") + GetParam().name + "): ";
    test::accuracy(what + "headroom left", ">= 3 dB", -after.loudness.truePeak, "dB",
                   after.loudness.truePeak < -3.0);
    test::accuracy(what + "crest of the mix, change", ">= -3 dB", crestAfter - crestBefore, "dB",
                   crestAfter > crestBefore - 3.0);
}

TEST_P(FirstPass, TakesNoMorePunchFromADrumThanItSaid) {
    const test::MeasuredKit& m = test::measuredKit();
    const Accepted pass = acceptAll(m.session, m.kit, GetParam().how);
    for (const char* row :
         {"kick-in", "kick-out", "snare-top", "snare-bottom", "rack-tom", "floor-tom"}) {
        double said = 0.0;  // lost at most, by all proposals for this row
        for (const Proposal& p : pass.proposals) {
            for (const Effect& e : p.effects) {
                if (p.row == row && e.what == "attack against body" && e.before && e.predicted)
                    said += std::min(0.0, *e.predicted - *e.before);
            }
        }
        const Ledger ledger =
            transientLedger(pass.session, m.kit.strokes, test::sharedStore(), row);
        const double change =
            ledger.lines.back().transientToBodyDb - ledger.lines.front().transientToBodyDb;
        const std::string what = std::string("first pass (") + GetParam().name +
                                 "): punch kept beyond what was said, " + row;
        test::accuracy(what, ">= -0.3 dB", change - said, "dB", change - said >= -0.3);
        EXPECT_GE(change - said, -0.3) << row;
    }
}

INSTANTIATE_TEST_SUITE_P(Schools, FirstPass, testing::ValuesIn(kSchools),
                         [](const auto& school) { return school.index == 0 ? "first" : "other"; });

TEST(CleanKit, IsProposedLittle) {
    const test::MeasuredKit& m = test::measuredKit();
    const Accepted pass = acceptAll(m.session, m.kit, {});
    // What the first pass made of every microphone, as if it had been recorded like that.
    const test::TempFolder folder;
    Session dry = pass.session;
    for (Row& row : dry.rows) {
        row.mute = row.solo = false;
        if (!row.chain.empty()) row.chain.back() = makeStage("seat");
    }
    renderStems(dry, test::sharedStore(), {}, folder.path());
    Session clean = m.session;
    std::erase_if(clean.rows, [](const Row& row) {
        return row.kind == RowKind::guest || row.kind == RowKind::reference;
    });
    for (Row& row : clean.rows) {
        if (!hasSources(row.kind)) continue;
        const auto file = folder / ("pre-bus/" + row.id + ".wav");
        for (std::size_t c = 0; c < row.sources.size(); ++c)
            row.sources[c] = {file.string(), "", static_cast<int>(c), 0.0};
    }
    const KitMeasurement kit = measureKit(clean, test::sharedStore());
    const auto count = [](const std::vector<Proposal>& all) {
        return std::count_if(all.begin(), all.end(), [](const Proposal& p) {
            return p.step != "seat";  // what was rendered is not levelled yet
        });
    };
    const auto again = count(advise(clean, kit)), first = count(advise(m.session, m.kit));
    test::accuracy("proposals for a cleaned kit, of those for the raw one", "<= 30 %",
                   100.0 * static_cast<double>(again) / static_cast<double>(first), "%",
                   10 * again <= 3 * first);
    std::string left;
    for (const Proposal& p : advise(clean, kit)) left += p.id + ": " + p.title + "\n";
    EXPECT_LE(10 * again, 3 * first) << again << " of " << first << ":\n" << left;
    for (const Proposal& p : advise(clean, kit)) {
        for (const ParameterMove& move : p.moves) {
            if (p.step == "repair") {
                EXPECT_FALSE(move.parameter == "b3.on") << p.id << ": a ring that is cut";
            }
        }
    }
}

}  // namespace
}  // namespace ember
