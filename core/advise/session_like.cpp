#include "core/advise/session_like.h"

#include "core/advise/chain_copy.h"
#include "core/base/error.h"
#include "core/session/bleed.h"
#include "core/session/kit.h"
#include "core/session/layers.h"
#include "core/session/printed.h"
#include "core/session/routing.h"

#include <algorithm>

namespace ember {
namespace {

std::string quoted(const std::string& name) {
    return "“" + name + "”";
}

bool isRecorded(const Row& row) {
    return !row.sources.empty() && !isMade(row);
}

// How well a recording stands for an earlier row; 0: not at all.
int likeness(const IntakeEntry& e, const Row& row) {
    if (e.kind != row.kind) return 0;
    const bool named = e.name == row.name, known = e.role != Role::unknown;
    if (known && e.role == row.role) return named ? 4 : 3;
    if (e.kind == RowKind::reference) return 2;
    if (!known || row.role == Role::unknown) return named ? 2 : 0;
    // The only kick microphone there is takes the place of kick in or kick out.
    const std::string_view group = busOf(e.role);
    return (group == "kick-bus" || group == "snare-bus") && group == busOf(row.role) ? 1 : 0;
}

// For every recording the place of the earlier row it takes; the best go first.
std::vector<std::optional<std::size_t>> places(const Intake& intake, const Session& earlier) {
    std::vector<std::optional<std::size_t>> out(intake.entries.size());
    std::vector<bool> taken(earlier.rows.size());
    for (int wanted = 4; wanted > 0; --wanted) {
        for (std::size_t e = 0; e < out.size(); ++e) {
            for (std::size_t r = 0; r < taken.size() && !out[e]; ++r) {
                if (taken[r] || !isRecorded(earlier.rows[r]) ||
                    likeness(intake.entries[e], earlier.rows[r]) != wanted)
                    continue;
                out[e] = r;
                taken[r] = true;
            }
        }
    }
    return out;
}

void take(Row& row, const IntakeEntry& e, std::vector<std::string>& remarks) {
    if (e.sources.size() != row.sources.size())
        remarks.push_back(quoted(e.name) + " was " +
                          (row.sources.size() == 2 ? "left and right" : "one microphone") +
                          " before and is " +
                          (e.sources.size() == 2 ? "left and right" : "one microphone") + " now.");
    row.name = e.name;
    row.role = e.role;
    row.who = e.who;
    row.sources = e.sources;
    // Where a microphone stood is the recording's.
    const std::vector<Stage> fresh = makeChain(row.kind);
    if (!row.chain.empty() && fresh.front().type == "align") row.chain.front() = fresh.front();
}

// The row whose steps a microphone that is new may have.
const Row* sibling(const Session& session, const Row& fresh) {
    const Row* found = nullptr;
    for (const Row& row : session.rows) {
        if (row.id == fresh.id || row.kind != RowKind::element || !isRecorded(row)) continue;
        if (row.role == fresh.role) return &row;
        if (isTom(row.drum) && isTom(fresh.drum)) found = &row;
    }
    return found;
}

bool isFed(const Session& session, const std::string& bus) {
    return std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
        return row.parent == bus || findSend(row, bus) != nullptr;
    });
}

Session withoutEmptyBuses(Session session, std::vector<std::string>& remarks) {
    for (bool more = true; more;) {
        more = false;
        for (const Row& row : session.rows) {
            if (row.kind != RowKind::bus || isFed(session, row.id)) continue;
            remarks.push_back("Nothing feeds " + quoted(row.name) + " this time; it is left out.");
            const std::string bus = row.id;  // which goes with the row
            session = withBusRemoved(std::move(session), bus);
            more = true;
            break;
        }
    }
    return session;
}

// Rows that nothing plays any more: microphones nobody brought, what was made of the earlier
// recordings, layers under drums that are not there.
Session withoutSilentRows(Session session, const std::vector<std::string>& standing,
                          std::vector<std::string>& remarks) {
    const auto there = [&](const std::string& drum) {
        return std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
            return row.drum == drum &&
                   std::find(standing.begin(), standing.end(), row.id) != standing.end();
        });
    };
    std::vector<std::string> gone, unmuted;
    for (const Row& row : session.rows) {
        if (!hasSources(row.kind) ||
            std::find(standing.begin(), standing.end(), row.id) != standing.end())
            continue;
        if (!row.layers.empty() && there(row.drum)) continue;
        gone.push_back(row.id);
        // What was printed plays live again.
        if (row.printed) unmuted.push_back(row.printed->row);
        remarks.push_back(
            isMade(row) ? quoted(row.name) + " was made of the earlier recordings; it is left out."
                        : "There is no " + quoted(row.name) + " this time; its row is left out.");
    }
    for (Row& row : session.rows) {
        if (std::find(unmuted.begin(), unmuted.end(), row.id) != unmuted.end()) row.mute = false;
    }
    for (const std::string& id : gone) session = withRowRemoved(std::move(session), id);
    return session;
}

// Microphones that had no place before: with those of their group, with the steps of a sibling.
Session withNewcomers(Session session, const Intake& more, std::vector<std::string>& remarks) {
    std::vector<std::string> before;
    for (const Row& row : session.rows) before.push_back(row.id);
    session = withTakenIn(std::move(session), more);
    std::vector<Row> fresh;
    for (const Row& row : session.rows) {
        if (std::find(before.begin(), before.end(), row.id) == before.end()) fresh.push_back(row);
    }
    for (const Row& row : fresh) {
        const Row* like = row.kind == RowKind::element ? sibling(session, row) : nullptr;
        remarks.push_back(quoted(row.name) + " is new: " +
                          (like != nullptr ? "it has the steps of " + quoted(like->name)
                                           : "nothing is decided for it") +
                          ".");
        if (like != nullptr) session = withChainCopied(session, {}, std::string(like->id), row.id);
    }
    return session;
}

// Drums that nobody hears any more, in what microphones are turned to as well.
Session withoutSilentDrums(Session session) {
    std::erase_if(session.drums, [&](const Drum& drum) {
        return std::none_of(session.rows.begin(), session.rows.end(),
                            [&](const Row& row) { return row.drum == drum.id; });
    });
    const auto known = [&](const std::string& drum) {
        return std::any_of(session.drums.begin(), session.drums.end(),
                           [&](const Drum& d) { return d.id == drum; });
    };
    for (Row& row : session.rows) {
        Stage* bleed = findBleed(row);
        if (bleed == nullptr) continue;
        std::erase_if(bleed->drums, [&](const auto& turned) {
            return turned.first != kNoDrum && !known(turned.first);
        });
    }
    return session;
}

}  // namespace

Session withoutItsSong(Session session) {
    session.loop = {};
    session.strokes = {};
    session.pattern = {};
    session.strokeEdits.clear();
    session.declined.clear();
    session.spots.clear();
    session.notes.clear();
    session.snapshots.clear();
    for (Row& row : session.rows) {
        row.solo = false;
        row.frozen.reset();
        for (Send& send : row.sends) send.curves.clear();
        for (Stage& stage : row.chain) {
            stage.curves.clear();
            stage.data.clear();
            stage.mark = Mark::untouched;
            std::erase_if(stage.words,
                          [](const auto& word) { return word.first.ends_with(".why"); });
        }
    }
    return session;
}

LikeEarlier sessionLike(const Session& earlier, const Intake& intake) {
    if (earlier.rows.empty() || intake.entries.empty())
        throw Error("There is nothing to begin with: it takes recordings and an earlier session.");
    LikeEarlier out;
    Session session = withoutItsSong(earlier);
    session.name = intake.name.empty() ? session.name : intake.name;
    session.sampleRate = intake.sampleRate;
    session.time = steadyTime(intake.tempo, intake.firstBeat);
    const auto place = places(intake, earlier);
    std::vector<std::string> standing;
    Intake more = intake;
    more.entries.clear();
    for (std::size_t e = 0; e < place.size(); ++e) {
        if (!place[e]) {
            more.entries.push_back(intake.entries[e]);
            continue;
        }
        Row& row = session.rows[*place[e]];
        take(row, intake.entries[e], out.remarks);
        standing.push_back(row.id);
    }
    session = withDrums(std::move(session));
    session = withoutSilentRows(std::move(session), standing, out.remarks);
    if (!more.entries.empty()) session = withNewcomers(std::move(session), more, out.remarks);
    session = withoutEmptyBuses(withoutSilentDrums(std::move(session)), out.remarks);
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    out.session = std::move(session);
    return out;
}

}  // namespace ember
