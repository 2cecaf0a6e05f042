#include "core/session/snapshot.h"

#include "core/base/error.h"
#include "core/base/text.h"

#include <algorithm>
#include <charconv>
#include <map>

namespace ember {
namespace {

constexpr std::string_view kIdBegins = "snapshot-";

int numberOf(const Snapshot& snapshot) {
    int number = 0;
    const std::string& id = snapshot.id;
    if (id.starts_with(kIdBegins))
        std::from_chars(id.data() + kIdBegins.size(), id.data() + id.size(), number);
    return number;
}

Snapshot& one(Session& session, std::string_view idOrName) {
    const auto at = &requireSnapshot(session, idOrName) - session.snapshots.data();
    return session.snapshots[static_cast<std::size_t>(at)];
}

}  // namespace

Session withSnapshotTaken(Session session, std::string name, std::string note, std::int64_t time) {
    if (session.snapshots.size() >= kMostSnapshots)
        throw Error("There are " + std::to_string(kMostSnapshots) +
                    " snapshots already; drop one that is no longer needed.");
    int number = 1;
    for (const Snapshot& s : session.snapshots) number = std::max(number, numberOf(s) + 1);
    if (name.empty()) name = "Snapshot " + std::to_string(number);
    Snapshot taken{std::string(kIdBegins) + std::to_string(number),
                   std::move(name),
                   std::move(note),
                   Verdict::open,
                   time,
                   Shared(session.rows),
                   session.pattern};
    session.snapshots.push_back(std::move(taken));
    return session;
}

Session withSnapshotUsed(const Session& session, std::string_view id) {
    const Snapshot& snapshot = requireSnapshot(session, id);
    Session next = session;
    next.rows = snapshot.rows.get();
    next.pattern = snapshot.pattern;
    std::map<std::string, std::string> places;  // by content
    for (const Row& row : session.rows) {
        eachFile(row, [&](const Source& source) {
            if (!source.hash.empty()) places.emplace(source.hash, source.file);
        });
    }
    for (Row& row : next.rows) {
        eachFile(row, [&](Source& source) {
            if (const auto at = places.find(source.hash); at != places.end())
                source.file = at->second;
        });
    }
    next = withDrums(std::move(next));
    if (const std::string problem = validate(next); !problem.empty())
        throw Error("“" + snapshot.name + "” cannot be used: " + problem);
    return next;
}

Session withSnapshotNamed(Session session, std::string_view id, std::string name) {
    if (name.empty()) throw Error("A snapshot needs a name.");
    one(session, id).name = std::move(name);
    return session;
}

Session withSnapshotJudged(Session session, std::string_view id, Verdict verdict,
                           std::string note) {
    Snapshot& snapshot = one(session, id);
    snapshot.verdict = verdict;
    snapshot.note = std::move(note);
    return session;
}

Session withSnapshotClip(Session session, std::string_view id, MixClip clip) {
    one(session, id).clip = std::move(clip);
    return session;
}

Session withSnapshotDropped(Session session, std::string_view id) {
    const std::string dropped = requireSnapshot(session, id).id;
    std::erase_if(session.snapshots, [&](const Snapshot& s) { return s.id == dropped; });
    return session;
}

const Snapshot* findSnapshot(const Session& session, std::string_view id) {
    const auto at = std::find_if(session.snapshots.begin(), session.snapshots.end(),
                                 [&](const Snapshot& s) { return s.id == id; });
    return at == session.snapshots.end() ? nullptr : &*at;
}

const Snapshot& requireSnapshot(const Session& session, std::string_view idOrName) {
    if (const Snapshot* found = findSnapshot(session, idOrName)) return *found;
    std::string names;
    for (const Snapshot& s : session.snapshots) {
        if (hyphenated(s.name) == hyphenated(idOrName)) return s;
        names += (names.empty() ? "" : ", ") + s.name;
    }
    throw Error("There is no snapshot “" + std::string(idOrName) + "”" +
                (names.empty() ? "; none was taken yet." : "; there are: " + names + "."));
}

}  // namespace ember
