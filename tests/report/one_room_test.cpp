#include "core/report/one_room.h"

#include "core/base/error.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

// Three drums that are struck in turn, and a plate that they may be sent to.
struct ThreeDrums {
    TempFolder folder;
    Session session;

    ThreeDrums() {
        const std::array<Role, 3> roles{Role::kick, Role::snareTop, Role::floorTom};
        std::vector<Stroke> strokes;
        for (std::size_t r = 0; r < roles.size(); ++r) {
            const std::string file = "drum-" + std::to_string(r) + ".wav";
            std::vector<float> sound = test::noise(0.5, 4 * 48000, r + 1);
            for (std::size_t i = 0; i < sound.size(); ++i) {
                // Once a second, each a third of a second after the other.
                const double t = static_cast<double>((i + 48000 - r * 16000) % 48000) / 48000.0;
                sound[i] *= static_cast<float>(std::exp(-t / 0.04));
            }
            test::writeMono(folder / file, sound);
            if (r == 0) {
                session = test::oneElement(folder / file);
                session.rows[0].role = roles[r];
            } else {
                Row row = session.rows[0];
                row.id = "drum-" + std::to_string(r);
                row.role = roles[r];
                row.drum.clear();
                row.sources[0].file = (folder / file).string();
                session.rows.insert(session.rows.begin() + static_cast<std::ptrdiff_t>(r), row);
            }
        }
        session = withDrums(std::move(session));
        for (int second = 0; second < 4; ++second) {
            for (std::size_t r = 0; r < roles.size(); ++r) {
                strokes.emplace_back();
                strokes.back().time = second + static_cast<double>(r) / 3.0;
                strokes.back().drum = session.rows[r].drum;
            }
        }
        session.strokes = Shared(strokes);
        session = withStageAdded(withBusAdded(std::move(session), "Plate"), "plate", "reverb");
        session = withStageOn(std::move(session), "plate", "reverb", true);
    }
    void send(const std::string& row, double db) {
        session = withSend(std::move(session), row, {"plate", false, true, db});
    }
    [[nodiscard]] OneRoom found() const { return oneRoom(session, test::sharedStore(), 0.0, -1.0); }
    [[nodiscard]] std::string said() const {
        std::string out;
        for (const std::string& one : oneRoomText(session, found())) out += one + " ";
        return out;
    }
};

TEST(OneRoom, NamesTheDrumThatStandsElsewhereAndBringsItBack) {
    ThreeDrums three;
    const double clear = three.found().drums[1].clarityDb;
    three.send("drum-1", 0.0);
    const OneRoom found = three.found();
    ASSERT_EQ(found.drums.size(), 3U);
    EXPECT_EQ(found.drums[0].wetDb, kNoSpaceDb);
    EXPECT_FALSE(found.drums[0].apart);
    EXPECT_TRUE(found.drums[1].apart);
    EXPECT_EQ(found.drums[1].space, "plate");
    EXPECT_GT(found.drums[1].wetDb, -35.0);
    EXPECT_LT(found.drums[1].clarityDb, clear - 1.0);
    EXPECT_NE(three.said().find("in another room than the rest"), std::string::npos)
        << three.said();
    ASSERT_FALSE(found.remedies.empty());
    for (const RoomRemedy& remedy : found.remedies) {
        EXPECT_LT(remedy.spreadDb, found.spreadDb - 1.0);
        const OneRoom then = oneRoom(withRemedy(three.session, remedy), test::sharedStore(), 0, -1);
        EXPECT_NEAR(then.spreadDb, remedy.spreadDb, 1e-6) << "it does what it says";
    }
    EXPECT_EQ(found.remedies[0].kind, RoomRemedy::Kind::share);
    EXPECT_EQ(found.remedies[0].moves.size(), 2U);
    EXPECT_NEAR(found.remedies[0].spreadDb, kOneRoomDb, 0.5);
}

TEST(OneRoom, FollowsASendDecibelByDecibel) {
    ThreeDrums three;
    for (const char* row : {"one", "drum-1", "drum-2"}) three.send(row, -12.0);
    const OneRoom before = three.found();
    EXPECT_LT(before.spreadDb, kOneRoomDb);
    EXPECT_TRUE(before.remedies.empty());
    EXPECT_NE(three.said().find("stand in one room"), std::string::npos) << three.said();
    three.send("drum-2", -7.0);
    EXPECT_NEAR(three.found().drums[2].wetDb, before.drums[2].wetDb + 5.0, 0.01);
    three.send("drum-2", 3.0);
    const OneRoom wet = three.found();
    EXPECT_TRUE(wet.drums[2].apart);
    const auto dry =
        std::find_if(wet.remedies.begin(), wet.remedies.end(),
                     [](const RoomRemedy& one) { return one.kind == RoomRemedy::Kind::dry; });
    ASSERT_NE(dry, wet.remedies.end());
    ASSERT_EQ(dry->moves.size(), 1U);
    EXPECT_EQ(dry->moves[0].row, "drum-2");
    EXPECT_NEAR(dry->moves[0].levelDb, 3.0 + wet.usualDb + kOneRoomDb - wet.drums[2].wetDb, 1e-9);
}

TEST(OneRoom, SaysWhereThereIsNoSpaceAndRefusesWhereNothingIsStruck) {
    ThreeDrums three;
    EXPECT_NE(three.said().find("No drum is sent to a space"), std::string::npos);
    // A parallel without a reverb is no space.
    three.send("drum-1", -6.0);
    three.session = withStageOn(std::move(three.session), "plate", "reverb", false);
    EXPECT_NE(three.said().find("No drum is sent to a space"), std::string::npos);
    three.session.strokes = {};
    EXPECT_NE(test::errorOf([&] { (void)three.found(); }).find("No drum"), std::string::npos);
}

TEST(OneRoom, HoldsOnTheDemoKit) {
    Session session = test::shortSession();
    session.strokes = Shared(measureSessionStrokes(session, test::sharedStore()).strokes);
    session = withStageAdded(withBusAdded(std::move(session), "Plate"), "plate", "reverb");
    session = withStageOn(std::move(session), "plate", "reverb", true);
    session = withSend(std::move(session), "snare-top", {"plate", false, true, -10.0});
    const OneRoom found = oneRoom(session, test::sharedStore(), 0.0, -1.0);
    ASSERT_GE(found.drums.size(), 3U);
    const auto snare = std::find_if(found.drums.begin(), found.drums.end(),
                                    [](const DrumRoom& one) { return one.space == "plate"; });
    ASSERT_NE(snare, found.drums.end());
    EXPECT_TRUE(snare->apart);
    ASSERT_FALSE(found.remedies.empty());
    for (const RoomRemedy& remedy : found.remedies) {
        const OneRoom then = oneRoom(withRemedy(session, remedy), test::sharedStore(), 0.0, -1.0);
        EXPECT_NEAR(then.spreadDb, remedy.spreadDb, 0.05);
    }
}

}  // namespace
}  // namespace ember
