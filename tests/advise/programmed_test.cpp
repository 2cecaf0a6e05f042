// A programmed kit from one-shots and a MIDI file.

#include "core/advise/programmed.h"

#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/measure/who/one_shot.h"
#include "core/report/midi_write.h"
#include "core/session/layers.h"
#include "demo/one_shots.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <gmock/gmock.h>

#include <cmath>

namespace ember {
namespace {

using test::TempFolder;
using testing::Contains;
using testing::HasSubstr;

constexpr double kRate = 48000.0;

std::vector<float> tone(double hertz, double rings, double noise, double hiss) {
    std::vector<float> out = test::noise(noise, 28800, 5);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        out[i] = static_cast<float>(static_cast<double>(out[i]) * std::exp(-t / hiss) +
                                    0.6 * std::sin(2.0 * M_PI * hertz * t) * std::exp(-t / rings));
    }
    return out;
}

std::vector<float> hiss(double decay) {
    std::vector<float> out = test::noise(0.6, 48000, 9);
    float before = 0.0F;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const float x = out[i];
        out[i] = static_cast<float>(static_cast<double>(x - before) *
                                    std::exp(-static_cast<double>(i) / kRate / decay));
        before = x;
    }
    return out;
}

void writeKit(const TempFolder& folder) {
    test::writeMono(folder / "kick_deep.wav", tone(52.0, 0.1, 0.05, 0.005));
    test::writeMono(folder / "kick_click.wav", tone(90.0, 0.03, 0.6, 0.004));
    test::writeMono(folder / "Snare 01.wav", tone(190.0, 0.06, 0.6, 0.08));
    test::writeMono(folder / "Snare 02.wav", tone(192.0, 0.06, 0.55, 0.08));
    test::writeMono(folder / "HH closed.wav", hiss(0.03));
    test::writeMono(folder / "HH open.wav", hiss(0.3));
    test::writeMono(folder / "tom 1.wav", tone(140.0, 0.2, 0.02, 0.01));
    test::writeMono(folder / "tom 2.wav", tone(110.0, 0.2, 0.02, 0.01));
    test::writeMono(folder / "handclap.wav", hiss(0.05));
}

// Four bars of everything, as a machine plays it.
void writeBeat(const std::filesystem::path& file) {
    Session session;
    session.time = steadyTime(96.0);
    Pattern pattern{480, {}};
    const auto add = [&](int tick, int key, double velocity = 100.0 / 127.0) {
        Note note;
        note.tick = tick;
        note.key = key;
        note.drum = usualMapping(key).drum;
        note.velocity = velocity;
        note.length = 60;
        pattern.notes.push_back(note);
    };
    for (int eighth = 0; eighth < 32; ++eighth) {
        add(240 * eighth, eighth % 8 == 7 ? 46 : 42);
        if (eighth % 4 == 0) add(240 * eighth, 36);
        if (eighth % 4 == 2) add(240 * eighth, 38);
    }
    add(7200, 50);
    add(7440, 45);
    add(3600, 39);
    add(0, 49);
    writePatternMidi(session, inOrder(pattern), file);
}

TEST(ProgrammedKit, EveryFileGetsItsDrum) {
    const TempFolder folder;
    writeKit(folder);
    const ProgrammedKit kit = programmedKit({folder.path()}, test::sharedStore());
    EXPECT_EQ(validate(kit.session), "");
    EXPECT_TRUE(kit.refused.empty());
    ASSERT_EQ(kit.sounds.size(), 9U);
    for (const KitSound& s : kit.sounds) {
        EXPECT_GE(s.who.sure, kSureEnough) << s.file;
        EXPECT_FALSE(s.row.empty()) << s.file;
    }
    const Row* kick = findRow(kit.session, "kick");
    ASSERT_NE(kick, nullptr);
    EXPECT_EQ(kick->drum, "kick");
    // What gives body leads; the other one waits.
    EXPECT_EQ(kick->layers[0].id, "kick-deep");
    EXPECT_TRUE(kick->layers[0].is(Layer::on));
    EXPECT_FALSE(kick->layers[1].is(Layer::on));
    EXPECT_EQ(findRow(kit.session, "snare")->layers[0].sounds.size(), 2U);
    const Row* hat = findRow(kit.session, "hat");
    ASSERT_EQ(hat->layers.size(), 2U);
    EXPECT_EQ(std::lround(hat->layers[0].at(Layer::way)), static_cast<long>(StruckWay::usual));
    EXPECT_EQ(std::lround(hat->layers[1].at(Layer::way)), static_cast<long>(StruckWay::other));
    EXPECT_EQ(hat->layers[1].at(Layer::choke), 1.0);
    int toms = 0;
    for (const Row& row : kit.session.rows) toms += isTom(row.drum) ? 1 : 0;
    EXPECT_EQ(toms, 2);
}

TEST(ProgrammedKit, PlaysAMidiFileEveryNoteAtItsTick) {
    const TempFolder folder;
    writeKit(folder);
    writeBeat(folder / "beat.mid");
    const ProgrammedKit kit =
        programmedKit({folder.path()}, test::sharedStore(), folder / "beat.mid");
    const Session& s = kit.session;
    EXPECT_NEAR(tempoAt(s.time, 0.0), 96.0, 1e-3);
    const Pattern& pattern = s.pattern.get();
    EXPECT_EQ(pattern.pulses, 480);
    EXPECT_EQ(pattern.notes.size(), 52U);
    int struck = 0;
    for (const Note& note : pattern.notes) {
        for (const Row& row : s.rows) struck += row.drum == note.drum ? 1 : 0;
    }
    EXPECT_EQ(struck, 51);  // there is no crash
    EXPECT_THAT(kit.remarks, Contains(HasSubstr("Crash is struck 1 time and has no sound")));
    EXPECT_THAT(kit.remarks, Contains(HasSubstr("like a machine")));
    RenderReport report;
    const AudioBuffer mix = renderMix(s, test::sharedStore(), {}, &report);
    EXPECT_GT(static_cast<double>(mix.frames()) / kRate, 15 * 60.0 / 96.0);
    EXPECT_LE(test::peakDb(mix.channels[0]), -5.9);
    EXPECT_GT(test::peakDb(mix.channels[0]), -12.0);
    EXPECT_TRUE(report.problems.empty());
}

TEST(ProgrammedKit, NotesBesideNotes) {
    const TempFolder folder;
    writeKit(folder);
    writeBeat(folder / "beat.mid");
    ProgrammedKit kit = programmedKit({folder.path()}, test::sharedStore(), folder / "beat.mid");
    std::vector<std::string> remarks;
    const Session twice = withMidiNotes(kit.session, folder / "beat.mid", true, remarks);
    EXPECT_EQ(twice.pattern.get().notes.size(), 104U);
    EXPECT_THROW((void)withMidiNotes(kit.session, folder / "kick_deep.wav", false, remarks), Error);
}

TEST(ProgrammedKit, BrokenFilesAreTold) {
    const TempFolder folder;
    writeKit(folder);
    test::writeText(folder / "snare bad.wav", "RIFF no audio at all");
    test::writeMono(folder / "silent.wav", std::vector<float>(4800, 0.0F));
    const ProgrammedKit kit = programmedKit({folder.path()}, test::sharedStore());
    EXPECT_EQ(kit.refused.size(), 2U);
    EXPECT_THAT(kit.refused, Contains(HasSubstr("silent.wav")));
    const TempFolder empty;
    EXPECT_THROW((void)programmedKit({empty.path()}, test::sharedStore()), Error);
}

TEST(ProgrammedKit, WhatHasNoNameIsHeardAndNotCalledSure) {
    const TempFolder folder;
    test::writeMono(folder / "a17.wav", tone(52.0, 0.1, 0.05, 0.005));
    test::writeMono(folder / "a18.wav", tone(190.0, 0.06, 0.6, 0.08));
    test::writeMono(folder / "a19.wav", hiss(0.03));
    const ProgrammedKit kit = programmedKit({folder.path()}, test::sharedStore());
    ASSERT_EQ(kit.sounds.size(), 3U);
    EXPECT_EQ(kit.sounds[0].role, Role::kick);
    EXPECT_EQ(kit.sounds[1].role, Role::snare);
    EXPECT_EQ(kit.sounds[2].role, Role::hat);
    for (const KitSound& s : kit.sounds) EXPECT_LT(s.who.sure, kSureEnough);
    EXPECT_TRUE(isUnsure(*findRow(kit.session, kit.sounds[0].row)));
}

// Single strokes of the simulated drums, whose names say nothing.
TEST(OneShot, StrokesOfTheSimulatedKitAreTold) {
    int right = 0, all = 0;
    for (const auto& [drum, role] : {std::pair{demo::Drum::kick, Role::kick},
                                     {demo::Drum::snare, Role::snare},
                                     {demo::Drum::hat, Role::hat},
                                     {demo::Drum::rackTom, Role::rackTom},
                                     {demo::Drum::floorTom, Role::floorTom}}) {
        for (std::uint64_t seed = 1; seed < 5; ++seed) {
            const Likely found = oneShotRole(oneShotTraits(
                demo::strikeAlone(drum, 0.5 + 0.1 * static_cast<double>(seed), kRate, seed,
                                  drum == demo::Drum::hat ? demo::Articulation::closed
                                                          : demo::Articulation::normal),
                kRate));
            ++all;
            right += found.role == role ? 1 : 0;
            EXPECT_LT(found.sure, kSureEnough);
        }
    }
    test::accuracy("one-shots without a name, simulated: their drum", "> 85 %", 100.0 * right / all,
                   "%", right * 100 >= 85 * all);
    EXPECT_GE(right * 100, 85 * all);
}

TEST(ProgrammedKit, NothingIsProposedForLayersThatWereNotMeasured) {
    const TempFolder folder;
    test::writeMono(folder / "crack.wav", hiss(0.03));
    Session session =
        withLayerRow(test::shortSession(), "snare", {{(folder / "crack.wav").string(), ""}})
            .session;
    const KitMeasurement measured = measureKit(session, test::sharedStore());
    const std::vector<Proposal> proposals = advise(session, measured, session.ways);
    EXPECT_GT(proposals.size(), 5U);
    for (const Proposal& p : proposals) EXPECT_NE(p.row, "snare-layers") << p.title;
}

TEST(ProgrammedKit, TheDemosOneShotsPlayTheirBeat) {
    const TempFolder folder;
    demo::writeOneShots(folder.path());
    const ProgrammedKit kit =
        programmedKit({folder.path()}, test::sharedStore(), folder / demo::kBeatFile);
    EXPECT_TRUE(kit.refused.empty());
    ASSERT_EQ(kit.sounds.size(), 14U);
    for (const KitSound& s : kit.sounds) EXPECT_GE(s.who.sure, kSureEnough) << s.file;
    for (const Note& note : kit.session.pattern.get().notes) {
        EXPECT_TRUE(std::any_of(kit.session.rows.begin(), kit.session.rows.end(),
                                [&](const Row& r) { return r.drum == note.drum; }))
            << note.drum;
    }
    EXPECT_GT(kit.session.pattern.get().notes.size(), 100U);
    for (const std::string& remark : kit.remarks)
        EXPECT_EQ(remark.find("no sound"), std::string::npos) << remark;
}

}  // namespace
}  // namespace ember
