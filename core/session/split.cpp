#include "core/session/split.h"

#include "core/base/error.h"
#include "core/dsp/part.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>

namespace ember {
namespace {

struct SplitStream {
    const char* name;
    Part::Keep keep;
};
struct SplitRecipe {
    SplitKind kind;
    std::vector<SplitStream> streams;
};

const std::array<SplitRecipe, 5>& splitRecipes() {
    static const std::array<SplitRecipe, 5> all{
        SplitRecipe{{"sides", "Left and right"}, {{"Left", Part::left}, {"Right", Part::right}}},
        SplitRecipe{{"middle", "Middle and sides"},
                    {{"Middle", Part::middle}, {"Sides", Part::sides}}},
        SplitRecipe{{"bands", "Lows and the rest"}, {{"Lows", Part::lows}, {"Rest", Part::rest}}},
        SplitRecipe{{"three", "Lows, mids and highs"},
                    {{"Lows", Part::lows}, {"Mids", Part::mids}, {"Highs", Part::highs}}},
        SplitRecipe{{"halves", "Two of the whole"}, {{"One", Part::half}, {"Two", Part::half}}}};
    return all;
}

// The Part that a stream begins with; null for other rows.
const Stage* partOf(const Row& row) {
    if (row.kind != RowKind::bus || row.chain.empty() || row.chain.front().type != "part")
        return nullptr;
    return &row.chain.front();
}

}  // namespace

std::span<const SplitKind> splitKinds() {
    static const std::vector<SplitKind> kinds = [] {
        std::vector<SplitKind> out;
        for (const SplitRecipe& r : splitRecipes()) out.push_back(r.kind);
        return out;
    }();
    return kinds;
}

bool isStream(const Row& row) {
    return partOf(row) != nullptr;
}

std::string beyondStreams(const Session& session, std::string id) {
    // A loop ends where every row was seen.
    for (std::size_t n = 0; n < session.rows.size(); ++n) {
        const Row* row = findRow(session, id);
        if (row == nullptr || !isStream(*row)) break;
        id = row->parent;
    }
    return id;
}

std::vector<std::string> splitOf(const Session& session, std::string_view id) {
    const Row* row = findRow(session, id);
    std::vector<std::string> out;
    if (row == nullptr) return out;
    const auto take = [&](const std::string& to) {
        const Row* bus = findRow(session, to);
        if (bus != nullptr && isStream(*bus)) out.push_back(to);
    };
    take(row->parent);
    // What is sent to somebody else's streams beside the own bus is no split.
    if (out.empty()) return out;
    for (const Send& send : row->sends) take(send.to);
    return out.size() > 1 ? out : std::vector<std::string>{};
}

Session withSplit(Session session, std::string_view id, std::string_view kind) {
    const auto recipe = std::find_if(splitRecipes().begin(), splitRecipes().end(),
                                     [&](const SplitRecipe& r) { return r.kind.id == kind; });
    if (recipe == splitRecipes().end()) {
        std::string known;
        for (const SplitKind& k : splitKinds()) known += (known.empty() ? "" : ", ") + k.id;
        throw Error("Nothing is split by “" + std::string(kind) + "”; known are " + known + ".");
    }
    const Row row = requireRow(session, id);
    if (row.kind == RowKind::main || row.kind == RowKind::reference)
        throw Error("“" + row.name +
                    "” feeds nothing that streams could feed; split a row or a bus.");
    if (!splitOf(session, id).empty())
        throw Error("“" + row.name + "” is split already; join it again first.");
    std::vector<std::string> streams;
    for (const SplitStream& stream : recipe->streams) {
        const std::string name = row.name + " " + stream.name, bus = makeRowId(session, name);
        session = withBus(withBusAdded(std::move(session), name), bus, row.parent);
        session = withStageAdded(std::move(session), bus, "part");
        const auto& chain = requireRow(session, bus).chain;
        const auto at = std::find_if(chain.begin(), chain.end(),
                                     [](const Stage& s) { return s.type == "part"; });
        session =
            withStageMoved(std::move(session), bus, "part", -static_cast<int>(at - chain.begin()));
        session = withValue(std::move(session), bus, "part", "keep", stream.keep);
        streams.push_back(bus);
    }
    const auto placeOf = [&](std::string_view r) {
        return std::find_if(session.rows.begin(), session.rows.end(),
                            [&](const Row& x) { return x.id == r; });
    };
    // Directly behind what feeds them.
    for (auto s = streams.rbegin(); s != streams.rend(); ++s) {
        const Row bus = *placeOf(*s);
        session.rows.erase(placeOf(*s));
        session.rows.insert(placeOf(id) + 1, bus);
    }
    requireRow(session, id).parent = streams.front();
    for (auto s = streams.begin() + 1; s != streams.end(); ++s)
        session = withSend(std::move(session), id, {*s});
    return session;
}

Session withSplitJoined(Session session, std::string_view id) {
    const std::vector<std::string> streams = splitOf(session, id);
    if (streams.empty()) throw Error("“" + requireRow(session, id).name + "” is not split.");
    for (auto s = streams.rbegin(); s != streams.rend(); ++s)
        session = withBusRemoved(std::move(session), *s);
    return session;
}

Session withSplitCorner(Session session, std::string_view id, std::string_view corner,
                        double hertz) {
    bool found = false;
    for (const std::string& stream : splitOf(session, id)) {
        const Stage& part = *partOf(requireRow(session, stream));
        const auto keep = static_cast<Part::Keep>(static_cast<int>(part.values[Part::keep]));
        if (keep < Part::lows || (corner == "upper" && keep < Part::mids)) continue;
        session = withValue(std::move(session), stream, part.id, corner, hertz);
        found = true;
    }
    if (!found)
        throw Error("“" + requireRow(session, id).name +
                    "” is not split into bands that meet there.");
    return session;
}

Session withStreamValue(Session session, std::string_view id, std::string_view stage,
                        std::string_view parameter, double value) {
    const Stage* part = partOf(requireRow(session, id));
    if (part != nullptr && part->id == stage && parameter != "keep") {
        for (const Row& row : session.rows) {
            const std::vector<std::string> streams = splitOf(session, row.id);
            if (std::find(streams.begin(), streams.end(), id) == streams.end()) continue;
            const std::string feeder = row.id;
            return withSplitCorner(std::move(session), feeder, parameter, value);
        }
    }
    return withValue(std::move(session), id, stage, parameter, value);
}

}  // namespace ember
