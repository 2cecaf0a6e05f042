#include "core/engine/trace_cache.h"

#include "core/base/archive.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/number.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/session/curves.h"
#include "core/session/graph.h"
#include "core/session/recipe.h"

#include <algorithm>
#include <filesystem>
#include <optional>
#include <type_traits>

namespace ember {
namespace {

// Raise it when any processor sounds otherwise or a trace holds something else.
constexpr const char* kTraceVersion = "trace 3";

// Everything a row's trace depends on, as text: its own chain and recordings, and those of all that
// is heard in it.
std::string dependsOn(const Session& session, AudioStore& store, const std::string& id) {
    std::string all =
        std::string(kTraceVersion) + " " + std::to_string(session.sampleRate) + " " + id;
    bool struck = false, moved = false;
    const auto heard = heardIn(session, id);
    for (const Row& row : session.rows) {
        if (heard.count(row.id) == 0) continue;
        all += (audible(session, row) ? "\nheard" : "\nmute") +
               soundText(row, [&](const Source& source) { return store.contentHash(source.file); });
        struck = struck || playsStrokes(row);
        all += "\n drum " + drumOfRow(session, row.id);
        moved = moved || goesByTime(row);
    }
    if (moved) all += "\n" + timeKey(session.time);
    if (!struck) return all;
    for (const Stroke& s : playedStrokes(session))
        all += "\n" + plainText(s.time, 9) + " " + s.drum + " " +
               std::to_string(static_cast<int>(s.kind)) + " " + plainText(s.velocity, 9) + " " +
               std::to_string(s.articulation);
    return all;
}

// A list of floats is mostly one that was there before (what goes into a stage came out of the
// last; a stage that is off changes nothing), or of one value.
class Lists {
  public:
    void write(Writer& to, const std::vector<float>& list) {
        char how = 'r';
        if (const auto at = std::find(before_.begin(), before_.end(), list); at != before_.end())
            how = static_cast<char>('0' + (at - before_.begin()));
        else if (!list.empty() &&
                 std::all_of(list.begin(), list.end(), [&](float v) { return v == list.front(); }))
            how = 'c';
        to.raw(&how, 1);
        if (how == 'c' || how == 'r') to.resize(list);
        if (how == 'c') to.raw(list.data(), sizeof(float));
        if (how == 'r') to.raw(list.data(), list.size() * sizeof(float));
        remember(list);
    }
    void read(Reader& from, std::vector<float>& list) {
        char how = 0;
        from.raw(&how, 1);
        if (how >= '0' && how < static_cast<char>('0' + before_.size())) {
            list = before_[static_cast<std::size_t>(how - '0')];
        } else {
            std::size_t size = 0;
            from.raw(&size, sizeof size);
            if (how == 'c') {
                if (size > kLongest) throw Error("What was kept in the cache is damaged.");
                float value = 0.0F;
                from.raw(&value, sizeof value);
                list.assign(size, value);
            } else {
                from.need(size);
                from.need(size * sizeof(float));
                list.resize(size);
                from.raw(list.data(), size * sizeof(float));
            }
        }
        remember(list);
    }

  private:
    static constexpr std::size_t kLongest = std::size_t{1} << 28U;
    void remember(const std::vector<float>& list) {
        before_.insert(before_.begin(), list);
        if (before_.size() > 4) before_.pop_back();
    }
    std::vector<std::vector<float>> before_;
};

void doubles(Writer& to, const std::vector<double>& list) {
    to.resize(list);
    to.raw(list.data(), list.size() * sizeof(double));
}
void doubles(Reader& from, std::vector<double>& list) {
    from.resize(list);
    from.raw(list.data(), list.size() * sizeof(double));
}

// The members of a trace in order, once for writing and reading.
template <class Archive, class Trace>
void eachMember(Archive& archive, Trace& trace) {
    Lists lists;
    archive.raw(&trace.blocks, sizeof trace.blocks);
    static_assert(std::is_trivially_copyable_v<Loudness>);
    archive.raw(&trace.output, sizeof trace.output);
    for (auto& stage : trace.stages) {
        for (auto* list : {&stage.inputPeak, &stage.keyPeak, &stage.gainDb, &stage.outputPeak}) {
            if constexpr (std::is_same_v<Archive, Writer>)
                lists.write(archive, *list);
            else
                lists.read(archive, *list);
        }
        for (auto* spectrum : {&stage.before, &stage.after}) {
            doubles(archive, spectrum->frequency);
            doubles(archive, spectrum->level);
        }
    }
}

std::filesystem::path fileOf(const Session& session, AudioStore& store, const std::string& row) {
    return store.folder() / (hashBytes(dependsOn(session, store, row)) + ".trace");
}

std::optional<RowTrace> load(const std::filesystem::path& file, std::size_t stages) {
    // One that cannot be read makes room for one that can.
    std::error_code code;
    const auto unreadable = [&]() -> std::optional<RowTrace> {
        std::filesystem::remove(file, code);
        return std::nullopt;
    };
    const auto bytes = loadArchive(file);
    if (!bytes) return unreadable();
    // The cache lets go of what was not used for longest.
    std::filesystem::last_write_time(file, std::filesystem::file_time_type::clock::now(), code);
    RowTrace out;
    out.stages.resize(stages);
    try {
        Reader reader(*bytes);
        eachMember(reader, out);
    } catch (const Error&) {
        return unreadable();
    }
    return out;
}

}  // namespace

std::map<std::string, RowTrace> knownTraces(const Session& session, AudioStore& store,
                                            const std::vector<std::string>& rows) {
    std::map<std::string, RowTrace> out;
    for (const std::string& id : rows) {
        const Row* row = findRow(session, id);
        if (row == nullptr) continue;
        try {
            if (auto known = load(fileOf(session, store, id), row->chain.size()))
                out.emplace(id, std::move(*known));
        } catch (const Error&) {
            continue;  // a recording is missing: whoever measures says so
        }
    }
    return out;
}

void keepTrace(const Session& session, AudioStore& store, const std::string& row,
               const RowTrace& trace) {
    try {
        const std::filesystem::path file = fileOf(session, store, row);
        if (std::filesystem::exists(file)) return;
        Writer writer;
        eachMember(writer, trace);
        keepArchive(file, writer.bytes());
    } catch (const Error&) {
        return;  // a recording is missing: its silence is nothing to keep
    }
}

std::map<std::string, RowTrace> knownOrTraced(const Session& session, AudioStore& store,
                                              const std::vector<std::string>& rows,
                                              const Progress& progress) {
    std::map<std::string, RowTrace> out = knownTraces(session, store, rows);
    std::vector<std::string> missing;
    for (const std::string& id : rows) {
        if (out.count(id) == 0) missing.push_back(id);
    }
    if (!missing.empty()) out.merge(trace(session, store, missing, progress));
    return out;
}

std::map<std::string, RowTrace> cachedTrace(const Session& session, AudioStore& store,
                                            const std::vector<std::string>& rows,
                                            const Progress& progress) {
    std::map<std::string, RowTrace> out = knownOrTraced(session, store, rows, progress);
    for (const auto& [id, one] : out) keepTrace(session, store, id, one);
    return out;
}

}  // namespace ember
