// Edits, undo and redo in any order.

#include "core/base/error.h"
#include "core/engine/plan.h"
#include "core/session/document.h"
#include "core/session/file.h"
#include "core/session/graph.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "core/session/ways.h"
#include "tests/support/random.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

// What a person might do next, as plain numbers: RapidCheck makes them smaller until the fewest and
// plainest that still fail are left.
struct Deed {
    int what = 0, row = 0, stage = 0, other = 0;
    double value = 0.0;
};

std::ostream& operator<<(std::ostream& out, const Deed& s) {
    return out << "{" << s.what << ", " << s.row << ", " << s.stage << ", " << s.other << ", "
               << s.value << "}";
}

rc::Gen<Deed> anyDeed() {
    return rc::gen::build<Deed>(
        rc::gen::set(&Deed::what, rc::gen::inRange(0, 22)),
        rc::gen::set(&Deed::row, rc::gen::inRange(0, 16)),
        rc::gen::set(&Deed::stage, rc::gen::inRange(0, 8)),
        rc::gen::set(&Deed::other, rc::gen::inRange(0, 40)),
        rc::gen::set(&Deed::value, rc::gen::map(rc::gen::inRange(0, 1001), [](int v) {
            return static_cast<double>(v) / 1000.0;
        })));
}

template <class T>
const T& pick(const std::vector<T>& all, int n) {
    return all[static_cast<std::size_t>(n) % all.size()];
}

// Switches and choices have whole values.
double valueIn(const Parameter& p, double share) {
    const double value = p.minimum + share * (p.maximum - p.minimum);
    return p.scale == Scale::toggle || p.scale == Scale::choice ? std::round(value) : value;
}

Session edited(const Session& now, const Deed& deed) {
    const Row& row = pick(now.rows, deed.row);
    const Row& other = pick(now.rows, deed.other);
    const Stage& stage = pick(row.chain, deed.stage);
    const ParameterTable table = processorType(stage.type).table;
    const Parameter& p = table[static_cast<std::size_t>(deed.other) % table.size()];
    const auto& types = processorTypes();
    switch (deed.what) {
        case 0:
        case 1:
            return withValue(now, row.id, stage.id, p.id, valueIn(p, deed.value));
        case 2:
            return withStageOn(now, row.id, stage.id, deed.value > 0.5);
        case 3:
            return withKey(now, row.id, stage.id, deed.value < 0.3 ? std::string() : other.id);
        case 4:
            return withStageAdded(now, row.id,
                                  types[static_cast<std::size_t>(deed.other) % types.size()].id,
                                  deed.value > 0.5 ? stage.id : "");
        case 5:
            return withStageDuplicated(now, row.id, stage.id);
        case 6:
            return withStageRemoved(now, row.id, stage.id);
        case 7:
            return withStageMoved(now, row.id, stage.id, deed.other % 7 - 3);
        case 8:
            return withSoloStepped(now, row.id);
        case 9:
            return withRole(
                now, row.id,
                static_cast<Role>(deed.other % (static_cast<int>(Role::reference) + 1)));
        case 10:
            return withName(now, row.id, "Row " + std::to_string(deed.other));
        case 11:
            return withBus(now, row.id, deed.value < 0.3 ? std::string() : other.id);
        case 12:
            return withPaired(now, row.id, other.id);
        case 13:
            return withParted(now, row.id);
        case 14:
            return withSidesExchanged(now, row.id);
        case 15:
            return withWord(now, row.id, stage.id, "b1.name", std::string(3, 'a'));
        case 16: {
            const auto& [name, ways] =
                waysByStep()[static_cast<std::size_t>(deed.other) % waysByStep().size()];
            return withWay(now, name, ways[static_cast<std::size_t>(deed.row) % ways.size()]);
        }
        case 17:
            return withSendRemoved(now, row.id,
                                   row.sends.empty() ? other.id : row.sends.front().to);
        case 18: {
            const bool before = deed.stage % 2 == 0, on = deed.stage % 3 != 0;
            return withSend(now, row.id,
                            {other.id, before, on, -90.0 + 102.0 * deed.value,
                             static_cast<double>(deed.other * 5 - 100)});
        }
        case 19:
            return withBusAdded(now, "Bus " + std::to_string(deed.other));
        case 20:
            return withBusRemoved(now, row.id);
        default:
            Session muted = now;
            Row& r = requireRow(muted, row.id);
            r.mute = !r.mute;
            return muted;
    }
}

// One deed; what may not be done says so in a sentence and changes nothing.
void take(Document& document, const Deed& deed) {
    try {
        document.edit(edited(document.session(), deed));
    } catch (const Error& error) {
        RC_ASSERT(!std::string(error.what()).empty());
    }
}

TEST(RandomEdits, LeaveASessionThatIsSound) {
    EXPECT_TRUE(test::holds("validate() finds nothing after any edit", [] {
        Document document(test::shortSession());
        for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed())) {
            take(document, deed);
            RC_ASSERT(validate(document.session()) == std::string());
        }
    }));
}

TEST(RandomEdits, AreTakenBackAndBroughtBackWhole) {
    EXPECT_TRUE(test::holds("undo to the beginning, redo to the end", [] {
        const Session first = test::shortSession();
        Document document(first);
        for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed()))
            take(document, deed);
        const Session last = document.session();
        std::size_t lines = document.log().size();
        while (document.canUndo()) {
            RC_ASSERT(!document.undoText().empty());
            document.undo();
            // Undoing is told, never forgotten.
            RC_ASSERT(document.log().size() == lines + 1);
            ++lines;
        }
        RC_ASSERT(document.session() == first);
        while (document.canRedo()) document.redo();
        RC_ASSERT(document.session() == last);
    }));
}

TEST(RandomEdits, InterleavedWithUndoAgreeWithAListOfSessions) {
    EXPECT_TRUE(test::holds("a document is a list of sessions and a place in it", [] {
        std::vector<Session> all{test::shortSession()};
        std::size_t at = 0;
        Document document(all[0]);
        for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed())) {
            if (deed.row % 4 == 0) {
                document.undo();
                at = at > 0 ? at - 1 : 0;
            } else if (deed.row % 4 == 1) {
                document.redo();
                at = std::min(at + 1, all.size() - 1);
            } else {
                take(document, deed);
                if (!(document.session() == all[at])) {
                    all.resize(++at);
                    all.push_back(document.session());
                }
            }
            RC_ASSERT(document.session() == all[at]);
        }
    }));
}

TEST(RandomEdits, SurviveTheSessionFile) {
    EXPECT_TRUE(test::holds("what was written is what is read", [] {
        Document document(test::shortSession());
        for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed()))
            take(document, deed);
        const Document again = documentFromJson(toJson(document), "again.json");
        RC_ASSERT(again.session() == document.session());
        RC_ASSERT(again.log() == document.log());
    }));
}

TEST(RandomEdits, KeepTheWaysOutAndInInAgreement) {
    EXPECT_TRUE(test::holds("what a row reaches hears it", [] {
        Document document(test::shortSession());
        for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed()))
            take(document, deed);
        const Session& session = document.session();
        for (const Row& row : session.rows) {
            const auto way = wayOut(session, row.id);
            RC_ASSERT(way.front()->id == row.id);
            const auto reached = reachedBy(session, row.id);
            for (const Row* at : way) RC_ASSERT(reached.count(at->id) == 1U);
            if (row.kind == RowKind::reference) continue;
            for (const std::string& id : reached)
                RC_ASSERT(heardIn(session, id).count(row.id) == 1U);
        }
    }));
}

TEST(RandomEdits, CompileToPlansThatSoundTheSameInAnyBlock) {
    AudioStore& store = test::sharedStore();
    EXPECT_TRUE(test::holdsFor(
        15, "a plan of any session plays numbers, the same in ones and in eights", [&] {
            Document document(test::shortSession());
            for (const Deed& deed : *rc::gen::container<std::vector<Deed>>(anyDeed()))
                take(document, deed);
            const auto one = compile(document.session(), store, {1, 1, false, {}, nullptr});
            const auto eight = compile(document.session(), store, {8, 2, false, {}, nullptr});
            for (int turn = 0; turn < 12; ++turn) {
                std::vector<BlockPlay> blocks;
                for (int b = 0; b < 8; ++b)
                    blocks.push_back(
                        {BlockPlay::Mode::play, static_cast<Frames>((8 * turn + b) * kBlock), 0});
                eight->run(blocks);
                for (int b = 0; b < 8; ++b) {
                    one->run(std::span(blocks).subspan(static_cast<std::size_t>(b), 1));
                    for (int c = 0; c < 2; ++c) {
                        for (int k = 0; k < kBlock; ++k) {
                            const float x = one->mainOutput(c)[k];
                            RC_ASSERT(std::isfinite(x));
                            RC_ASSERT(x == eight->mainOutput(c)[b * kBlock + k]);
                        }
                    }
                }
            }
        }));
}

}  // namespace
}  // namespace ember
