// A session handed on in one file.
#include "core/report/pack.h"

#include "core/advise/session_like.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/layers.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <string_view>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// Two recordings, one with a name that is not English, and a layer's sample beside one of them.
struct Handed {
    TempFolder folder;
    Session session;
    Handed() {
        fs::create_directories(folder / "in");
        test::writeMono(folder / "in" / "Große Trommel.wav", test::noise(0.3, 24000, 1));
        test::writeMono(folder / "in" / "take.wav", test::noise(0.3, 24000, 2));
        test::writeMono(folder / "in" / "crack.wav", test::noise(0.3, 2400, 3));
        session =
            test::twoElements(folder / "in" / "Große Trommel.wav", folder / "in" / "take.wav");
        session.name = "Late train";
        session.spots = {{"Bridge", 0.1, 0.3}};
        Stroke stroke;
        stroke.drum = "snare";
        session.strokes = Shared(std::vector<Stroke>{stroke});
        session = withSnapshotTaken(session, "Before", "", 1);
        session = withValue(session, "one", "seat", "level", -6.0);
    }
    [[nodiscard]] Session layered() const {
        Session out = session;
        Row row = requireRow(out, "two");
        row.id = row.name = "support";
        row.sources.clear();
        Source crack;
        crack.file = (folder / "in" / "crack.wav").string();
        row.layers.push_back(makeLayer("crack", "Crack", {crack}));
        out.rows.insert(out.rows.begin(), row);
        return out;
    }
    void pack(const fs::path& file, const Session& what, PackAs as = PackAs::session) const {
        packSession(Document(what), test::sharedStore(), file, as);
    }
};

Session openedFrom(const fs::path& file) {
    return withAbsolutePaths(loadDocument(file).session(), file);
}

std::vector<std::string> namesIn(const fs::path& folder) {
    std::vector<std::string> out;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        if (entry.is_regular_file()) out.push_back(entry.path().filename().string());
    }
    std::sort(out.begin(), out.end());
    return out;
}

TEST(Pack, OpensElsewhereAndSoundsTheSame) {
    const Handed from;
    const AudioBuffer before = renderMix(from.session, test::sharedStore(), {});
    const fs::path file = from.folder / "Late train.caskpack";
    EXPECT_TRUE(isPack(file));
    EXPECT_TRUE(isPack("LOUD.CASKPACK"));
    EXPECT_FALSE(isPack("song.cask"));
    from.pack(file, from.session);
    EXPECT_EQ(namesIn(from.folder.path()),
              (std::vector<std::string>{"Große Trommel.wav", "Late train.caskpack", "crack.wav",
                                        "take.wav"}))
        << "what it was collected in is gone";
    fs::remove_all(from.folder / "in");
    const fs::path folder = folderFor(file, from.folder.path());
    EXPECT_EQ(folder.filename(), "Late train");
    const fs::path session = unpackSession(file, folder);
    EXPECT_EQ(session, folder / "Late train.cask");
    EXPECT_EQ(namesIn(folder),
              (std::vector<std::string>{"Große Trommel.wav", "Late train.cask", "take.wav"}));
    const Session opened = openedFrom(session);
    EXPECT_EQ(renderMix(opened, test::sharedStore(), {}), before);
    EXPECT_EQ(opened.snapshots.size(), 1U);
    EXPECT_EQ(folderFor(file, from.folder.path()).filename(), "Late train 2");
    EXPECT_NE(test::errorOf([&] { unpackSession(file, folder); }).find("new or empty"),
              std::string::npos);
    EXPECT_TRUE(fs::exists(session)) << "a folder that was refused is left alone";
}

TEST(Pack, ATemplateTakesItsLayersAlongAndNothingOfItsSong) {
    const Handed from;
    const fs::path file = from.folder / "Way.caskpack";
    from.pack(file, from.layered(), PackAs::likeness);
    const fs::path session = unpackSession(file, from.folder / "there");
    EXPECT_EQ(namesIn(from.folder / "there"),
              (std::vector<std::string>{"Late train.cask", "crack.wav"}));
    EXPECT_EQ(test::readText(session).find(from.folder.path().string()), std::string::npos)
        << "folders of this machine are nobody's business";
    const Session opened = loadDocument(session).session();
    EXPECT_TRUE(opened.spots.empty() && opened.snapshots.empty() && opened.strokes.get().empty());
    EXPECT_EQ(findRow(opened, "one")->sources[0].file, "Große Trommel.wav");
    EXPECT_DOUBLE_EQ(findStage(*findRow(opened, "one"), "seat")->values[0],
                     findStage(*findRow(from.session, "one"), "seat")->values[0]);
    EXPECT_TRUE(
        fs::exists(resolveSource(session, findRow(opened, "support")->layers[0].sounds[0])));
}

TEST(Pack, WhatIsDamagedOrLeadsOutIsRefusedAndLeavesNothing) {
    const Handed from;
    const fs::path file = from.folder / "Song.caskpack";
    from.pack(file, from.session);
    const std::string whole = test::readText(file);
    const auto refused = [&](const std::string& bytes) {
        std::ofstream(file, std::ios::binary) << bytes;
        std::string why = test::errorOf([&] { unpackSession(file, from.folder / "out"); });
        EXPECT_FALSE(fs::exists(from.folder / "out")) << why;
        return why;
    };
    EXPECT_NE(refused(whole.substr(0, whole.size() / 2)).find("“Song.caskpack” is no whole pack"),
              std::string::npos);
    EXPECT_NE(refused("no archive at all").find("is no whole pack"), std::string::npos);
    EXPECT_NE(refused("").find("is no whole pack"), std::string::npos);
    // A name of equal length that leads out of the folder, where the archive tells of its parts: in
    // the session, which is in there too, the sum of the bytes would tell.
    std::string outside = whole;
    const auto headAt = [&](std::size_t at, std::size_t before, std::string_view mark) {
        return at >= before && outside.compare(at - before, mark.size(), mark) == 0;
    };
    for (std::size_t at = 0; (at = outside.find("audio/take.wav", at)) != std::string::npos; ++at) {
        if (headAt(at, 30, "PK\x03\x04") || headAt(at, 46, "PK\x01\x02"))
            outside.replace(at, 14, "../../take.wav");
    }
    ASSERT_NE(outside, whole);
    EXPECT_NE(refused(outside).find("outside itself"), std::string::npos);
    std::string none = whole;
    for (std::size_t at = 0; (at = none.find("train.cask", at)) != std::string::npos;)
        none.replace(at, 10, "train.cusk");
    EXPECT_NE(refused(none).find("no session in it"), std::string::npos);
    EXPECT_NE(test::errorOf([&] {
                  unpackSession(from.folder / "gone.caskpack", "x");
              }).find("There is no file"),
              std::string::npos);
}

TEST(Pack, CanBeCancelledOnBothWays) {
    const Handed from;
    const fs::path file = from.folder / "Song.caskpack";
    const Progress stop = [](double, const std::string&) { return false; };
    EXPECT_THROW(
        packSession(Document(from.session), test::sharedStore(), file, PackAs::session, stop),
        Cancelled);
    EXPECT_FALSE(fs::exists(file));
    from.pack(file, from.session);
    EXPECT_THROW(unpackSession(file, from.folder / "out", stop), Cancelled);
    EXPECT_EQ(namesIn(from.folder.path()).size(), 4U);
    EXPECT_NE(test::errorOf([&] {
                  from.pack("/proc/nowhere/Song.caskpack", from.session);
              }).find("cannot be written"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
