// Strokes against all else: constructed songs in which it is known what hides them and why.

#include "core/report/through_music.h"

#include "core/base/error.h"
#include "core/session/layers.h"
#include "tests/support/made_up.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kSeconds = 16.0;  // two stretches of four bars at 120
constexpr Frames kFrames = static_cast<Frames>(kSeconds * 48000.0);

// A snare struck every half second with an overhead that hears it too, a second drum, and a guest
// of steady noise; all may be changed before they are written.
struct Song {
    test::TempFolder folder;
    Session session;
    std::vector<float> snare, second = std::vector<float>(kFrames, 0.0F),
                              wall = std::vector<float>(kFrames, 0.0F);
    std::vector<Stroke> strokes;

    Song() : snare(bursts(0.3, 0.25, 1)) {
        for (double t = 0.25; t < kSeconds - 0.5; t += 0.5) strike("snare", t, 0.6);
    }
    // Noise that dies away, every half second from `first` on.
    static std::vector<float> bursts(double level, double first, std::uint64_t seed) {
        std::vector<float> x = test::noise(level, kFrames, seed);
        for (std::size_t i = 0; i < x.size(); ++i) {
            const double t = static_cast<double>(i) / 48000.0 - first;
            x[i] *= t < 0.0 ? 0.0F : static_cast<float>(std::exp(-std::fmod(t, 0.5) / 0.05));
        }
        return x;
    }
    void strike(const char* drum, double time, double velocity,
                StrokeKind kind = StrokeKind::normal) {
        strokes.emplace_back();
        strokes.back().time = time;
        strokes.back().drum = drum;
        strokes.back().velocity = velocity;
        strokes.back().kind = kind;
    }
    void write() {
        test::writeMono(folder / "snare.wav", snare);
        session = test::oneElement(folder / "snare.wav");
        session.time = steadyTime(120.0, 0.0);
        session.rows[0].id = "snare";
        session.rows[0].role = Role::snareTop;
        std::vector<float> over;
        for (std::size_t i = 0; i < snare.size(); ++i)
            over.push_back(0.4F * (snare[i] + second[i]));
        add("overhead", Role::overhead, RowKind::element, over);
        add("second", Role::floorTom, RowKind::element, second);
        add("wall", Role::unknown, RowKind::guest, wall);
        session = withDrums(std::move(session));
        session.strokes = Shared(strokes);
        ASSERT_EQ(validate(session), "");
    }
    void add(const char* id, Role role, RowKind kind, const std::vector<float>& sound) {
        test::writeMono(folder / (std::string(id) + ".wav"), sound);
        Row row = session.rows[0];
        row.id = row.name = id;
        row.role = role;
        row.kind = kind;
        row.drum.clear();
        row.sources[0].file = (folder / (std::string(id) + ".wav")).string();
        row.chain = makeChain(kind);
        session.rows.insert(session.rows.end() - 1, row);
    }
    [[nodiscard]] DrumThrough snareThrough() const {
        return throughMusic(session, test::sharedStore(), 0.0, -1.0).drums.front();
    }
};

TEST(ThroughMusic, ADrumAloneComesThroughThoughOverheadsHearIt) {
    Song song;
    song.write();
    const DrumThrough d = song.snareThrough();
    EXPECT_EQ(d.drum, "snare");
    EXPECT_GT(d.strokes, 28);
    EXPECT_EQ(d.heard, 1.0);
    EXPECT_GT(d.overDb, 20.0);
    EXPECT_EQ(d.fault, ThroughFault::none);
    EXPECT_EQ(d.raiseDb, 0.0);
}

TEST(ThroughMusic, ASteadyWallHidesByLevelAndWhatIsSaidWouldDo) {
    for (const double level : {0.3, 0.55}) {
        Song song;
        song.wall = test::noise(level, kFrames, 7);
        // Strokes of several strengths, so that some come through and some do not.
        for (std::size_t i = 0; i < song.snare.size(); ++i) {
            const double t = static_cast<double>(i) / 48000.0 - 0.25;
            const int stroke = static_cast<int>(std::max(0.0, t) / 0.5);
            song.snare[i] *= static_cast<float>(gainFromDb(-1.5 * (stroke % 8)));
        }
        song.write();
        const DrumThrough d = song.snareThrough();
        ASSERT_LT(d.heard, kThroughEnough) << level;
        EXPECT_EQ(d.behind, "wall");
        EXPECT_EQ(d.fault, d.raiseDb <= kRaiseAtMostDb ? ThroughFault::level : ThroughFault::tone);
        song.session = withDrumRaised(song.session, "snare", d.raiseDb + 0.5);
        EXPECT_GE(song.snareThrough().heard, kThroughEnough - 0.04) << level;
    }
}

TEST(ThroughMusic, WhatLiesWhereOthersAreIsTone) {
    Song song;
    song.snare = test::duller(song.snare, 200.0);
    song.wall = test::duller(test::noise(0.9, kFrames, 7), 400.0);
    song.write();
    const DrumThrough d = song.snareThrough();
    EXPECT_LT(d.heard, 0.5);
    EXPECT_EQ(d.fault, ThroughFault::tone) << d.raiseDb;
    EXPECT_EQ(d.behind, "wall");
    EXPECT_LT(d.hertz, 1000.0);
}

TEST(ThroughMusic, WhatIsStruckAtTheSameMomentsIsNoFaultOfLevel) {
    Song song;
    for (float& x : song.snare) x *= 0.1F;
    song.second = Song::bursts(0.5, 0.25, 9);
    for (double t = 0.25; t < kSeconds - 0.5; t += 0.5) song.strike("floor-tom", t, 0.9);
    std::sort(song.strokes.begin(), song.strokes.end(),
              [](const Stroke& a, const Stroke& b) { return a.time < b.time; });
    song.write();
    const DrumThrough d = song.snareThrough();
    EXPECT_LT(d.heard, kThroughEnough);
    EXPECT_EQ(d.fault, ThroughFault::together);
    EXPECT_EQ(d.behind, "second");
    // The louder one is not held against the softer.
    const ThroughMusic all = throughMusic(song.session, test::sharedStore(), 0.0, -1.0);
    EXPECT_EQ(all.drums[1].fault, ThroughFault::none);
}

TEST(ThroughMusic, SaysFromWhichBarOnItIsWeakAndWhatBecomesOfGhostNotes) {
    Song song;
    song.wall = test::noise(0.9, kFrames, 7);
    for (float& x : song.snare) x *= 0.5F;
    std::fill(song.wall.begin(), song.wall.begin() + kFrames / 2, 0.0F);
    for (double t = 8.5; t < kSeconds - 0.6; t += 0.5)
        song.strike("snare", t, 0.1, StrokeKind::ghost);  // where nothing is played
    std::sort(song.strokes.begin(), song.strokes.end(),
              [](const Stroke& a, const Stroke& b) { return a.time < b.time; });
    song.write();
    const DrumThrough d = song.snareThrough();
    EXPECT_EQ(d.weakBar, 5);
    EXPECT_LT(d.weakHeard, 0.5);
    EXPECT_NEAR(d.heard, 0.5, 0.1);
    EXPECT_GT(d.ghosts, 10);
    EXPECT_LT(d.ghostsHeard, 0.5);
    std::string said;
    for (const std::string& one :
         throughText(song.session, throughMusic(song.session, test::sharedStore(), 0.0, -1.0)))
        said += one + "\n";
    EXPECT_NE(said.find("weakest from bar 5 on"), std::string::npos) << said;
    EXPECT_NE(said.find("ghost notes come through"), std::string::npos) << said;
}

TEST(ThroughMusic, AFewStrokesAreCountedAndNoShareIsTold) {
    Song song;
    song.write();
    ThroughMusic found;
    DrumThrough& snare = found.drums.emplace_back();
    snare.drum = "snare";
    snare.strokes = 3;
    snare.heard = 2.0 / 3.0;
    snare.raiseDb = 2.0;
    snare.fault = ThroughFault::level;
    const std::string few = throughText(song.session, found).front();
    EXPECT_NE(few.find("2 of its 3 strokes come through. 2.0 dB more and they would."),
              std::string::npos)
        << few;
    snare.strokes = 30;
    const std::string many = throughText(song.session, found).front();
    EXPECT_NE(many.find("67 % of its strokes come through. 2.0 dB more and 90 % would."),
              std::string::npos)
        << many;
}

TEST(ThroughMusic, RefusesWhatIsNotThere) {
    Song song;
    song.strokes.clear();
    song.write();
    EXPECT_NE(test::errorOf([&] {
                  (void)throughMusic(song.session, test::sharedStore(), 0, -1);
              }).find("choose another stretch"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] {
                  (void)withDrumRaised(song.session, "bell", 1.0);
              }).find("Nothing stands at"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
