// Layers and patterns as values: edits, files, sentences, MIDI.

#include "core/session/layers.h"

#include "core/base/error.h"
#include "core/measure/strokes/played.h"
#include "core/report/midi_write.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/midi_notes.h"
#include "tests/support/support.h"

#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::TempFolder;
using testing::ElementsAre;
using testing::HasSubstr;

std::vector<Source> sounds(const TempFolder& folder, std::initializer_list<const char*> names) {
    std::vector<Source> out;
    for (const char* name : names) {
        test::writeMono(folder / name, test::sine(200.0, 0.5, 4800, 48000.0));
        out.push_back({(folder / name).string(), ""});
    }
    return out;
}

// A snare that is heard by one microphone, and a row of layers under it.
Session supported(const TempFolder& folder) {
    test::writeMono(folder / "snare.wav", test::noise(0.1, 48000));
    Session session = test::oneElement(folder / "snare.wav");
    session.rows.front().role = Role::snareTop;
    session = withDrums(std::move(session));
    return withLayerRow(std::move(session), "snare", sounds(folder, {"body_deep.wav", "click.wav"}))
        .session;
}

Pattern beat() {
    Pattern pattern{480, {}};
    for (int i = 0; i < 16; ++i) {
        Note note;
        note.tick = 240 * i;
        note.drum = i % 4 == 2 ? "snare" : "kick";
        note.velocity = 100.0 / 127.0;
        note.key = i % 4 == 2 ? 38 : 36;
        note.length = 60 + i;
        pattern.notes.push_back(note);
    }
    return pattern;
}

// --- Layers.

TEST(Layers, GoUnderADrumInARowOfTheirOwn) {
    const TempFolder folder;
    const Session session = supported(folder);
    const Row* row = findRow(session, "snare-layers");
    ASSERT_NE(row, nullptr);
    EXPECT_EQ(row->drum, "snare");
    EXPECT_EQ(row->parent, session.rows.front().parent);
    EXPECT_EQ(channelCount(*row), 2);
    EXPECT_EQ(row->layers.size(), 2U);
    EXPECT_EQ(row->layers[0].name, "Body deep");
    EXPECT_EQ(row->layers[0].id, "body-deep");
    EXPECT_TRUE(row->layers[0].is(Layer::spareGhosts));
    EXPECT_EQ(validate(session), "");
    EXPECT_TRUE(playsStrokes(session));
}

TEST(Layers, KeepTheirDrumWhenDrumsAreGivenAnew) {
    const TempFolder folder;
    const Session session = supported(folder);
    EXPECT_EQ(findRow(withDrums(session), "snare-layers")->drum, "snare");
    EXPECT_EQ(findRow(withName(session, "snare-layers", "Fat"), "snare-layers")->drum, "snare");
}

TEST(Layers, TheLastOneIsNotTakenAway) {
    const TempFolder folder;
    Session session = withLayerRemoved(supported(folder), "snare-layers", "click");
    EXPECT_THROW((void)withLayerRemoved(session, "snare-layers", "body-deep"), Error);
    session = withRowRemoved(std::move(session), "snare-layers");
    EXPECT_EQ(findRow(session, "snare-layers"), nullptr);
    EXPECT_EQ(validate(session), "");
}

TEST(Layers, ARecordingAndLayersAreTwoRows) {
    const TempFolder folder;
    Session session = supported(folder);
    EXPECT_THROW(
        (void)withLayerAdded(session, session.rows.front().id, sounds(folder, {"more.wav"})),
        Error);
    session.rows.front().layers = findRow(session, "snare-layers")->layers;
    EXPECT_THAT(validate(session), HasSubstr("has a recording and layers"));
}

TEST(Layers, RefuseWhatIsOutOfRangeOrUnknown) {
    const TempFolder folder;
    const Session session = supported(folder);
    EXPECT_THROW((void)withLayerValue(session, "snare-layers", "click", "level", 13.0), Error);
    EXPECT_THROW((void)withLayerValue(session, "snare-layers", "click", "level", NAN), Error);
    EXPECT_THROW((void)withLayerValue(session, "snare-layers", "click", "loudness", 0.0), Error);
    EXPECT_THROW((void)withLayerValue(session, "snare-layers", "clack", "level", 0.0), Error);
    EXPECT_THROW((void)withLayerName(session, "snare-layers", "click", " "), Error);
    EXPECT_THROW((void)withLayerRow(session, "cowbell", sounds(folder, {"c.wav"})), Error);
    EXPECT_THROW((void)withLayerRow(session, "snare", {}), Error);
    EXPECT_THROW((void)withRole(session, "snare-layers", Role::bass), Error);
}

TEST(Layers, EveryParameterHasItsPlace) {
    const ParameterTable table = layerTable();
    ASSERT_EQ(table.size(), static_cast<std::size_t>(Layer::choke) + 1);
    EXPECT_EQ(table[Layer::on].id, "on");
    EXPECT_EQ(table[Layer::offset].id, "offset");
    EXPECT_EQ(table[Layer::pitch].id, "pitch");
    EXPECT_EQ(table[Layer::struckBy].id, "struck-by");
    EXPECT_EQ(table[Layer::follow].id, "follow");
    EXPECT_EQ(table[Layer::choke].id, "choke");
    for (const Parameter& p : table) {
        EXPECT_LE(p.minimum, p.standard) << p.id;
        EXPECT_GE(p.maximum, p.standard) << p.id;
        EXPECT_FALSE(p.doc.empty()) << p.id;
    }
}

TEST(Layers, SurviveTheFile) {
    const TempFolder folder;
    Session session = supported(folder);
    session = withLayerValue(std::move(session), "snare-layers", "click", "offset", -3.25);
    session = withLayerValue(std::move(session), "snare-layers", "click", "struck-by", 1.0);
    session.rows[1].layers[0].extra = R"({"later":1})";
    session.pattern = Shared(beat());
    session.keys = {{39, "snare", 1}};
    saveDocument(folder / "s.json", Document(session));
    EXPECT_EQ(loadDocument(folder / "s.json").session(), session);
}

TEST(Layers, PathsAreRelativeInTheFile) {
    const TempFolder folder;
    const Session session = withRelativePaths(supported(folder), folder / "s.json");
    EXPECT_EQ(findRow(session, "snare-layers")->layers[1].sounds[0].file, "click.wav");
    EXPECT_EQ(withAbsolutePaths(session, folder / "s.json"), supported(folder));
}

TEST(Layers, ABadFileIsRefusedWithItsPlace) {
    const TempFolder folder;
    Session session = supported(folder);
    saveDocument(folder / "s.json", Document(session));
    std::string text = test::readText(folder / "s.json");
    const auto spoil = [&](const std::string& from, const std::string& to) {
        std::string bad = text;
        bad.replace(bad.find(from), from.size(), to);
        try {
            (void)documentFromJson(bad, "s.json");
        } catch (const Error& error) {
            return std::string(error.what());
        }
        return std::string();
    };
    EXPECT_THAT(spoil("\"offset\": 0.0,\n            \"start\"", "\"offset\": 1e9,\n \"start\""),
                HasSubstr("layers[0].values.offset"));
    EXPECT_THAT(spoil("\"part\": \"body\"", "\"part\": \"soul\""), HasSubstr("values.part"));
    EXPECT_THAT(spoil("\"sounds\": [", "\"sonds\": ["), HasSubstr("sounds should be a list"));
}

TEST(Layers, EveryEditIsASentence) {
    const TempFolder folder;
    const Session session = supported(folder);
    const auto said = [&](const Session& next) {
        const SessionDiff d = diff(session, next);
        EXPECT_TRUE(d.structural);
        return d.sentences();
    };
    EXPECT_THAT(said(withLayerValue(session, "snare-layers", "click", "offset", 2.0)),
                ElementsAre("Snare Layers · Click · Offset 0.00 ms → 2.00 ms"));
    EXPECT_THAT(said(withLayerRemoved(session, "snare-layers", "click")),
                ElementsAre("Snare Layers · layer “Click” removed"));
    EXPECT_THAT(said(withLayerCopied(session, "snare-layers", "click")),
                ElementsAre("Snare Layers · layer “Click” added"));
    EXPECT_THAT(said(withLayerName(session, "snare-layers", "click", "Beater")),
                ElementsAre("Snare Layers · layer “Click” renamed to “Beater”"));
    Session beaten = session;
    beaten.pattern = Shared(beat());
    EXPECT_THAT(said(beaten), ElementsAre("Pattern · 0 → 16 notes"));
}

TEST(Layers, UndoBringsThemBack) {
    const TempFolder folder;
    Document document(supported(folder));
    const Session before = document.session();
    document.edit(withLayerValue(before, "snare-layers", "click", "level", -6.0));
    document.edit(withLayerRemoved(document.session(), "snare-layers", "click"));
    document.undo();
    document.undo();
    EXPECT_EQ(document.session(), before);
}

// --- Patterns.

TEST(Pattern, NotesStandByTheBeat) {
    Session session;
    session.time = steadyTime(90.0, 0.5);
    session.pattern = Shared(beat());
    const std::vector<Stroke> strokes = programmedStrokes(session);
    ASSERT_EQ(strokes.size(), 16U);
    EXPECT_NEAR(strokes[0].time, 0.5, 1e-12);
    EXPECT_NEAR(strokes[2].time, 0.5 + 60.0 / 90.0, 1e-12);
    EXPECT_EQ(strokes[2].drum, "snare");
    session.time = withTempoFrom(session.time, 1, 180.0);
    EXPECT_NEAR(programmedStrokes(session)[9].time, 0.5 + 4 * 60.0 / 90.0 + 0.5 * 60.0 / 180.0,
                1e-9);
}

TEST(Pattern, KindsFollowHowHardNotesAre) {
    Session session;
    Pattern pattern = beat();
    for (Note& note : pattern.notes) note.drum = "snare";
    pattern.notes[3].velocity = 0.2;
    pattern.notes[5].tick = pattern.notes[6].tick - 20;  // 20 ms before a harder one
    pattern.notes[5].velocity = 0.5;
    session.pattern = Shared(pattern);
    session.time = steadyTime(125.0);
    const std::vector<Stroke> strokes = programmedStrokes(session);
    EXPECT_EQ(strokes[3].kind, StrokeKind::ghost);
    EXPECT_EQ(strokes[5].kind, StrokeKind::flam);
    EXPECT_EQ(strokes[0].kind, StrokeKind::accent);
}

TEST(Pattern, NotesComeMoveAndGo) {
    Session session;
    session.time = steadyTime(120.0);
    session.pattern = Shared(beat());
    session = withNote(std::move(session), "hihat", 0.7501, 0.4, 1);
    const int at = noteAt(session, "hihat", 720 / 480.0 * 0.5);
    ASSERT_GE(at, 0);
    EXPECT_EQ(session.pattern.get().notes[static_cast<std::size_t>(at)].articulation, 1);
    EXPECT_EQ(withoutNote(session, at).pattern, Shared(beat()));
    // What is moved keeps its length and its key, unless it goes to another drum.
    const Session moved = withNoteChanged(session, 0, "kick", 10.0 / 480.0 * 0.5, 0.3);
    EXPECT_EQ(moved.pattern.get().notes[0].tick, 10);
    EXPECT_EQ(moved.pattern.get().notes[0].length, 60);
    EXPECT_EQ(moved.pattern.get().notes[0].key, 36);
    EXPECT_EQ(withNoteChanged(session, 0, "snare", 0.0, 0.3).pattern.get().notes[0].key, -1);
    EXPECT_THROW((void)withNoteChanged(session, -1, "kick", 0.0, 0.3), Error);
    EXPECT_EQ(noteAt(session, "hihat", 3.0), -1);
    EXPECT_THROW((void)withNote(session, "hihat", 0.0, 1.5), Error);
}

TEST(Pattern, TwoResolutionsMeetWhereNothingIsLost) {
    Pattern fine{96, {}};
    Note note;
    note.tick = 32;  // a third of a quarter note
    note.drum = "hihat";
    fine.notes.push_back(note);
    const Pattern both = together(beat(), fine);
    EXPECT_EQ(both.pulses, 480);
    EXPECT_EQ(both.notes[1].tick, 160);
    EXPECT_EQ(both.notes.size(), 17U);
    EXPECT_THROW((void)withPulses(beat(), 0), Error);
}

TEST(Pattern, HumanisedNotesStayWithinTheLimits) {
    const TimeMap time = steadyTime(110.0);
    Pattern pattern = beat();
    pattern = withPulses(pattern, 9600);  // ticks of 0.06 ms
    bool moved = false, harder = false;
    const Pattern out = humanised(pattern, time, {6.0, 0.1, 7});
    ASSERT_EQ(out.notes.size(), pattern.notes.size());
    for (std::size_t i = 0; i < out.notes.size(); ++i) {
        // Notes a quarter apart stay in order.
        const double off =
            secondsOf(out, out.notes[i], time) - secondsOf(pattern, pattern.notes[i], time);
        EXPECT_LE(std::abs(off), 0.006 + 1e-9);
        EXPECT_LE(std::abs(out.notes[i].velocity - pattern.notes[i].velocity), 0.1 + 1e-9);
        moved = moved || off != 0.0;
        harder = harder || out.notes[i].velocity != pattern.notes[i].velocity;
    }
    EXPECT_TRUE(moved && harder);
    EXPECT_EQ(humanised(pattern, time, {6.0, 0.1, 7}), out);
    EXPECT_NE(humanised(pattern, time, {6.0, 0.1, 8}), out);
    EXPECT_EQ(humanised(pattern, time, {0.0, 0.0, 7}), pattern);
    EXPECT_THROW((void)humanised(pattern, time, {200.0, 0.1, 7}), Error);
}

TEST(Pattern, OnlyOutliersAreCorrected) {
    const TimeMap time = steadyTime(120.0);
    Pattern pattern = beat();
    pattern.notes[4].tick += 40;  // 42 ms late
    pattern.notes[9].tick += 10;  // 10 ms late
    Pattern corrected = pattern;
    EXPECT_EQ(correctOutliers(corrected, time, 4, 20.0, 0.5), 1);
    EXPECT_EQ(corrected.notes[4].tick, beat().notes[4].tick + 20);
    corrected.notes[4].tick = pattern.notes[4].tick;
    EXPECT_EQ(corrected, pattern);
}

TEST(Pattern, AMachineIsRecognised) {
    const TimeMap time = steadyTime(120.0);
    EXPECT_THAT(noticed(beat(), time),
                ElementsAre(HasSubstr("Equal velocities: Kick"), HasSubstr("on the grid"),
                            HasSubstr("like a machine")));
    const Pattern played = humanised(withPulses(beat(), 9600), time, {15.0, 0.2, 3});
    EXPECT_THAT(noticed(played, time), ElementsAre());
    EXPECT_THAT(noticed({}, time), ElementsAre());
}

// --- MIDI.

TEST(MidiNotes, GoOutAndComeBackAsTheyWere) {
    const TempFolder folder;
    Session session;
    session.time = steadyTime(97.0, 1.25, 7, 8);
    Pattern pattern = beat();
    pattern.notes[7].articulation = 1;  // a cross-stick
    pattern.notes[7].drum = "snare";
    pattern.notes[7].key = 37;
    pattern.pulses = 384;
    writePatternMidi(session, pattern, folder / "p.mid");
    EXPECT_EQ(loadMidiPattern(folder / "p.mid", session), pattern);
}

TEST(MidiNotes, GoToTheDrumsOfTheSession) {
    Session session;
    session.drums = {{"kick", "Kick"},       {"snare", "Snare"},  {"tom", "Tom 1"},
                     {"floor-tom", "Floor"}, {"cymbal", "Crash"}, {"percussion", "Hand clap"}};
    EXPECT_EQ(mappingOf(session, 36).drum, "kick");
    EXPECT_EQ(mappingOf(session, 50).drum, "tom");
    EXPECT_EQ(mappingOf(session, 41).drum, "floor-tom");
    EXPECT_EQ(mappingOf(session, 57).drum, "cymbal");
    EXPECT_EQ(mappingOf(session, 39).drum, "percussion");
    EXPECT_EQ(mappingOf(session, 46).drum, "hihat");
    EXPECT_EQ(mappingOf(session, 46).articulation, 1);
    session.keys = {{36, "floor-tom", 0}};
    EXPECT_EQ(mappingOf(session, 36).drum, "floor-tom");
}

TEST(MidiNotes, EveryUsualKeyGoesBothWays) {
    for (int key = 0; key < 128; ++key) {
        const KeyMapping usual = usualMapping(key);
        const KeyMapping again = usualMapping(usualKey(usual.drum, usual.articulation));
        EXPECT_EQ(again.drum, usual.drum) << key;
        EXPECT_EQ(again.articulation, usual.articulation) << key;
    }
}

std::string midiFile(const std::string& track, int format = 0, int division = 480) {
    const auto number = [](std::size_t value, int bytes) {
        std::string out;
        for (int i = bytes - 1; i >= 0; --i)
            out += static_cast<char>((value >> (8U * static_cast<unsigned>(i))) & 0xFFU);
        return out;
    };
    return "MThd" + number(6, 4) + number(static_cast<std::size_t>(format), 2) + number(1, 2) +
           number(static_cast<std::size_t>(division), 2) + "MTrk" + number(track.size(), 4) + track;
}

TEST(MidiNotes, RunningStatusAndSilentNoteOns) {
    using namespace std::string_literals;
    const std::string end = "\x00\xFF\x2F\x00"s;
    // Note 36, again by running status with velocity 0, then 38.
    const Pattern p =
        midiPattern(midiFile("\x00\x99\x24\x64\x60\x24\x00\x60\x26\x40\x60\x26\x00"s + end),
                    "r.mid", Session{});
    ASSERT_EQ(p.notes.size(), 2U);
    EXPECT_EQ(p.notes[0].length, 96);
    EXPECT_EQ(p.notes[1].tick, 192);
    EXPECT_EQ(p.notes[1].drum, "snare");
    // Whatever is not on channel 10 is no drum where something is.
    const Pattern drums =
        midiPattern(midiFile("\x00\x90\x24\x64\x10\x99\x26\x40"s + end), "c.mid", Session{});
    EXPECT_EQ(drums.notes.size(), 1U);
}

TEST(MidiNotes, BadFilesGetASentence) {
    using namespace std::string_literals;
    const std::string end = "\x00\xFF\x2F\x00"s;
    EXPECT_THROW((void)midiPattern("", "e.mid", Session{}), Error);
    EXPECT_THROW((void)midiPattern(midiFile(end), "n.mid", Session{}), Error);
    EXPECT_THROW((void)midiPattern(midiFile("\x00\x99\x24"s).substr(0, 20), "t.mid", Session{}),
                 Error);
    EXPECT_THROW((void)midiPattern(midiFile(end, 0, 0xE728), "s.mid", Session{}), Error);
    EXPECT_THROW((void)loadMidiPattern("/nowhere/x.mid", Session{}), Error);
}

TEST(MidiNotes, TenThousandOfThem) {
    const TempFolder folder;
    Session session;
    Pattern pattern{960, {}};
    for (int i = 0; i < 10000; ++i) {
        Note note;
        note.tick = 60 * i;
        note.drum = "hihat";
        note.key = 42;
        note.length = 30;
        note.velocity = (1 + i % 127) / 127.0;
        pattern.notes.push_back(note);
    }
    writePatternMidi(session, pattern, folder / "long.mid");
    EXPECT_EQ(loadMidiPattern(folder / "long.mid", session), pattern);
}

}  // namespace
}  // namespace ember
