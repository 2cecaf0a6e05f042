#include "core/advise/mix_from.h"

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/session/bleed.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"

#include <algorithm>
#include <map>

namespace ember {
namespace {

// Places of rows: own id to the other session's.
using Counterparts = std::map<std::string, std::string>;

bool sameName(const Row& a, const Row& b) {
    return hyphenated(a.name) == hyphenated(b.name);
}

// How well a row of the other session stands for an own one; 0: not at all.
int standsFor(const Row& own, const Row& other) {
    if (own.kind != other.kind || own.kind == RowKind::reference) return 0;
    if (own.kind == RowKind::main) return 3;
    if (own.kind == RowKind::bus) return own.id == other.id ? 3 : sameName(own, other) ? 2 : 0;
    if (other.role != own.role || own.layers.empty() != other.layers.empty()) return 0;
    // What nobody recognised is known by its name alone.
    if (own.role == Role::unknown && !sameName(own, other)) return 0;
    return sameName(own, other) ? 3 : own.id == other.id ? 2 : 1;
}

Counterparts counterparts(const Session& session, const Session& other) {
    Counterparts out;
    std::vector<std::string> taken;
    for (int wanted = 3; wanted > 0; --wanted) {
        for (const Row& own : session.rows) {
            for (const Row& row : other.rows) {
                if (out.contains(own.id) || standsFor(own, row) != wanted ||
                    std::find(taken.begin(), taken.end(), row.id) != taken.end())
                    continue;
                out[own.id] = row.id;
                taken.push_back(row.id);
            }
        }
    }
    return out;
}

bool staysOwn(const Stage& stage) {
    return stage.type == "align" || stage.type == "bleed";
}

// The other row's steps around what the recording keeps of its own.
std::vector<Stage> chainFrom(const Row& own, const Row& other, const Counterparts& backwards) {
    std::vector<Stage> chain;
    for (const Stage& stage : own.chain) {
        if (staysOwn(stage)) chain.push_back(stage);
    }
    for (Stage stage : other.chain) {
        if (staysOwn(stage)) continue;
        stage.curves.clear();
        stage.data.clear();
        std::erase_if(stage.words, [](const auto& w) { return w.first.ends_with(".why"); });
        const auto key = backwards.find(stage.key);
        stage.key = key != backwards.end() ? key->second : std::string();
        chain.push_back(std::move(stage));
    }
    return chain;
}

}  // namespace

MixBrought withMixFrom(Session session, const Session& other) {
    Counterparts found = counterparts(session, other);
    const bool sounds = std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
        return hasSources(row.kind) && found.contains(row.id);
    });
    if (!sounds) throw Error("Nothing in “" + other.name + "” stands for a row of this session.");
    MixBrought out;
    // Buses that are sent to and are not there.
    for (const auto& [own, theirs] : Counterparts(found)) {
        for (const Send& send : findRow(other, theirs)->sends) {
            const bool known = std::any_of(found.begin(), found.end(), [&](const auto& pair) {
                return pair.second == send.to;
            });
            const Row* bus = findRow(other, send.to);
            if (known || bus == nullptr) continue;
            const std::vector<Row> before = session.rows;
            session = withBusAdded(std::move(session), bus->name);
            for (const Row& row : session.rows) {
                const bool isNew = std::none_of(before.begin(), before.end(),
                                                [&](const Row& b) { return b.id == row.id; });
                if (isNew) found[row.id] = bus->id;
            }
            out.remarks.push_back("“" + bus->name + "” is new.");
        }
    }
    Counterparts backwards;
    for (const auto& [own, theirs] : found) backwards[theirs] = own;
    std::vector<std::string> left;
    for (Row& row : session.rows) {
        const auto at = found.find(row.id);
        if (at == found.end()) {
            if (row.kind == RowKind::element || row.kind == RowKind::guest)
                left.push_back("“" + row.name + "”");
            continue;
        }
        const Row& like = *findRow(other, at->second);
        row.chain = chainFrom(row, like, backwards);
        row.mute = like.mute;
        row.frozen.reset();
        row.sends.clear();
        for (Send send : like.sends) {
            const auto to = backwards.find(send.to);
            if (to == backwards.end() || to->second == row.parent) continue;
            send.to = to->second;
            send.curves.clear();
            row.sends.push_back(std::move(send));
        }
    }
    if (!left.empty()) out.remarks.push_back("Nothing there stands for " + listed(left) + ".");
    if (const std::string problem = validate(session); !problem.empty())
        throw Error("“" + other.name + "” cannot be tried here: " + problem);
    out.session = std::move(session);
    return out;
}

Session withSnapshotFrom(const Session& session, const Session& other, const std::string& which,
                         const std::string& name, std::int64_t time) {
    Session there = other;
    if (!which.empty()) {
        const Snapshot& snapshot = requireSnapshot(other, which);
        there.rows = snapshot.rows.get();
    }
    MixBrought brought = withMixFrom(session, there);
    std::string note;
    for (const std::string& remark : brought.remarks) note += (note.empty() ? "" : " ") + remark;
    const std::string called = !name.empty() ? name
                               : which.empty()
                                   ? other.name
                                   : requireSnapshot(other, which).name + ", " + other.name;
    Session next = session;
    next.snapshots = withSnapshotTaken(std::move(brought.session), called, note, time).snapshots;
    // How it sounded there.
    if (!which.empty()) next.snapshots.back().clip = requireSnapshot(other, which).clip;
    return next;
}

}  // namespace ember
