// Pictures of a session that was opened before: the same to the bit, known without measuring, and
// measured anew only where something they depend on has changed.

#include "core/engine/trace_cache.h"

#include "demo/mix.h"
#include "tests/support/support.h"

#include <filesystem>
#include <fstream>

namespace ember {
namespace {

namespace fs = std::filesystem;

struct Opened {
    test::TempFolder folder;
    AudioStore store{folder / "cache"};
    Session session = demo::demoMix(test::shortSession());
    std::vector<std::string> rows;

    Opened() {
        for (const Row& row : session.rows) {
            if (row.kind != RowKind::reference) rows.push_back(row.id);
        }
    }
    [[nodiscard]] std::vector<std::string> known(const Session& s) {
        std::vector<std::string> out;
        for (const auto& [id, one] : knownTraces(s, store, rows)) out.push_back(id);
        return out;
    }
};

void expectSame(const RowTrace& a, const RowTrace& b) {
    EXPECT_EQ(a.blocks, b.blocks);
    EXPECT_EQ(a.output.integrated, b.output.integrated);
    EXPECT_EQ(a.output.truePeak, b.output.truePeak);
    ASSERT_EQ(a.stages.size(), b.stages.size());
    for (std::size_t s = 0; s < a.stages.size(); ++s) {
        EXPECT_EQ(a.stages[s].inputPeak, b.stages[s].inputPeak) << s;
        EXPECT_EQ(a.stages[s].keyPeak, b.stages[s].keyPeak) << s;
        EXPECT_EQ(a.stages[s].gainDb, b.stages[s].gainDb) << s;
        EXPECT_EQ(a.stages[s].outputPeak, b.stages[s].outputPeak) << s;
        EXPECT_EQ(a.stages[s].before, b.stages[s].before) << s;
        EXPECT_EQ(a.stages[s].after, b.stages[s].after) << s;
    }
}

TEST(TraceCache, GivesBackWhatWasMeasured) {
    Opened o;
    EXPECT_TRUE(o.known(o.session).empty());
    const auto measured = cachedTrace(o.session, o.store, o.rows);
    EXPECT_EQ(o.known(o.session).size(), o.rows.size());
    const auto plain = trace(o.session, o.store, o.rows);
    // Another store on the same folder: another start of the program.
    AudioStore later(o.folder / "cache");
    const auto again = knownTraces(o.session, later, o.rows);
    ASSERT_EQ(again.size(), plain.size());
    for (const auto& [id, one] : plain) {
        SCOPED_TRACE(id);
        expectSame(one, measured.at(id));
        expectSame(one, again.at(id));
    }
}

TEST(TraceCache, KnowsWhatAnEditTouches) {
    Opened o;
    cachedTrace(o.session, o.store, o.rows);
    const auto knows = [&](const Session& s, const char* row) {
        const auto all = o.known(s);
        return std::find(all.begin(), all.end(), row) != all.end();
    };
    // A name changes no sound; a threshold that of its row, its buses and the main.
    EXPECT_EQ(o.known(withName(o.session, "hat", "Another")).size(), o.rows.size());
    const Session moved = withValue(o.session, "hat", "compressor", "threshold", -17.5);
    EXPECT_FALSE(knows(moved, "hat"));
    EXPECT_FALSE(knows(moved, "main"));
    EXPECT_TRUE(knows(moved, "snare-top"));
    EXPECT_TRUE(knows(moved, "kick-in"));
    // A key is heard in what it drives.
    Session keyed = o.session;
    requireStage(requireRow(keyed, "ride"), "gate").key = "hat";
    cachedTrace(keyed, o.store, o.rows);
    EXPECT_TRUE(knows(keyed, "ride"));
    Session both = withValue(keyed, "hat", "align", "delay", 3.0);
    EXPECT_FALSE(knows(both, "ride"));
    // A solo silences the others.
    Session soloed = o.session;
    requireRow(soloed, "hat").solo = true;
    EXPECT_FALSE(knows(soloed, "snare-top"));
    // Strokes drive gates that are opened by them, and nothing else.
    Session struck = withValue(o.session, "ride", "gate", "key-source", 1.0);
    cachedTrace(struck, o.store, o.rows);
    std::vector<Stroke> strokes = struck.strokes.get();
    strokes.emplace_back();
    strokes.back().drum = findRow(struck, "ride")->drum;
    strokes.back().time = 0.123;
    struck.strokes = Shared(strokes);
    EXPECT_FALSE(knows(struck, "ride"));
    EXPECT_TRUE(knows(struck, "hat"));
}

TEST(TraceCache, BelievesNoDamagedFile) {
    Opened o;
    cachedTrace(o.session, o.store, {"hat"});
    ASSERT_EQ(o.known(o.session).size(), 1U);
    for (const auto& file : fs::directory_iterator(o.folder / "cache")) {
        if (file.path().extension() != ".trace") continue;
        fs::resize_file(file.path(), file.file_size() - 100);
    }
    EXPECT_TRUE(o.known(o.session).empty());
    // It is measured and kept anew, not met again and again.
    cachedTrace(o.session, o.store, {"hat"});
    EXPECT_EQ(o.known(o.session).size(), 1U);
}

TEST(TraceCache, SaysNothingOfRowsWhoseRecordingIsMissing) {
    Opened o;
    requireRow(o.session, "hat").sources[0].file = (o.folder / "gone.wav").string();
    EXPECT_NO_THROW(cachedTrace(o.session, o.store, {"hat", "ride"}));
    EXPECT_EQ(o.known(o.session), std::vector<std::string>{"ride"});
}

}  // namespace
}  // namespace ember
