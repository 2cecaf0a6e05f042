// A few seconds of a mix kept as audio: rendered, saved, brought along, heard again.
#include "core/report/mix_clip.h"

#include "core/advise/mix_from.h"
#include "core/base/error.h"
#include "core/engine/print_row.h"
#include "core/engine/render.h"
#include "core/report/collect.h"
#include "core/session/document.h"
#include "core/session/file.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

struct Kept {
    TempFolder folder;
    fs::path file = folder / "song.cask";
    Session session;
    MixClip clip;
    Kept() {
        session = withSnapshotTaken(test::shortSession(), "Tight", "", 1000);
        clip = makeClip(session, test::sharedStore(), "snapshot-1", 2.0, 5.0, printFolder(file));
        session = withSnapshotClip(std::move(session), "snapshot-1", clip);
    }
};

TEST(MixClip, HoldsWhatTheMixWasAndGoesAsLoud) {
    const Kept kept;
    EXPECT_NEAR(kept.clip.to - kept.clip.from, 3.0, 1e-4);
    RenderOptions options;
    options.from = 2.0;
    options.to = 5.0;
    options.withGuests = true;
    const AudioBuffer mix = renderMix(kept.session, test::sharedStore(), options);
    const AudioBuffer clip = readAudio(kept.clip.audio[0].file);
    ASSERT_EQ(clip.channels.size(), 2U);
    ASSERT_EQ(clip.frames(), mix.frames());
    // The same but for 24 bits, and for a gain where it would clip.
    double both = 0.0, own = 0.0;
    for (std::size_t i = 0; i < mix.channels[0].size(); ++i) {
        both += static_cast<double>(mix.channels[0][i]) * static_cast<double>(clip.channels[0][i]);
        own += static_cast<double>(mix.channels[0][i]) * static_cast<double>(mix.channels[0][i]);
    }
    const double gain = both / own;
    double off = 0.0;
    for (std::size_t i = 0; i < mix.channels[0].size(); ++i)
        off = std::max(off, std::abs(gain * static_cast<double>(mix.channels[0][i]) -
                                     static_cast<double>(clip.channels[0][i])));
    EXPECT_LT(off, 1e-5);
    EXPECT_LE(gain, 1.0 + 1e-9);
    // Heard by itself it is as loud as the mix, also once that was turned down.
    EXPECT_NEAR(clipGainDb(kept.session, test::sharedStore(), kept.clip), -20.0 * std::log10(gain),
                0.05);
    const Session quieter = withValue(kept.session, "main", "seat", "level", -6.0);
    EXPECT_NEAR(clipGainDb(quieter, test::sharedStore(), kept.clip), -6.0 - 20.0 * std::log10(gain),
                0.1);
    const Session alone = clipAlone(kept.session, kept.clip, "Tight");
    EXPECT_EQ(validate(alone), "");
    const AudioBuffer again = renderMix(alone, test::sharedStore(), options);
    double far = 0.0;
    for (std::size_t i = 0; i < again.channels[0].size(); ++i)
        far = std::max(far,
                       static_cast<double>(std::abs(again.channels[0][i] - clip.channels[0][i])));
    EXPECT_LT(far, 1e-5) << "at its place in the song";
}

TEST(MixClip, IsSavedBesideTheSessionNeededAndCollected) {
    Kept kept;
    saveDocument(kept.file, Document(withRelativePaths(kept.session, kept.file)));
    const Session read = withAbsolutePaths(loadDocument(kept.file).session(), kept.file);
    ASSERT_TRUE(read.snapshots[0].clip);
    EXPECT_EQ(read.snapshots[0].clip->audio, kept.clip.audio);
    EXPECT_NEAR(read.snapshots[0].clip->lufs, kept.clip.lufs, 1e-9);
    EXPECT_TRUE(oldPrints(Document(kept.session), kept.file).empty());
    // Saved elsewhere it goes along.
    const fs::path other = kept.folder / "elsewhere" / "copy.cask";
    fs::create_directories(other.parent_path());
    const Session moved = withPrintsBeside(kept.session, other);
    EXPECT_EQ(fs::path(moved.snapshots[0].clip->audio[0].file).parent_path(), printFolder(other));
    EXPECT_TRUE(fs::exists(moved.snapshots[0].clip->audio[1].file));
    const Collected all =
        collectSession(Document(kept.session), test::sharedStore(), kept.folder / "all");
    EXPECT_TRUE(all.missing.empty());
    const Session collected = withAbsolutePaths(loadDocument(all.session).session(), all.session);
    EXPECT_TRUE(fs::exists(collected.snapshots[0].clip->audio[0].file));
    EXPECT_TRUE(
        collected.snapshots[0].clip->audio[0].file.starts_with((kept.folder / "all").string()));
    // Once the snapshot is dropped, nothing needs it.
    fs::remove(kept.file);
    EXPECT_EQ(oldPrints(Document(withSnapshotDropped(kept.session, "Tight")), kept.file).size(),
              1U);
    // And a mix of this session that is tried in another one brings it.
    const Session tried = withSnapshotFrom(test::shortSession(), kept.session, "Tight", "", 2000);
    EXPECT_EQ(tried.snapshots.back().clip, kept.session.snapshots[0].clip);
}

TEST(MixClip, LeavesNothingBehindWhereItCannotBeMade) {
    const TempFolder folder;
    const Session& s = test::shortSession();
    EXPECT_THROW((void)makeClip(s, test::sharedStore(), "a", 0.0, 2.0, folder / "clips",
                                [](double, const std::string&) { return false; }),
                 Cancelled);
    EXPECT_THROW((void)makeClip(s, test::sharedStore(), "a", 5000.0, 5002.0, folder / "clips"),
                 Error);
    EXPECT_FALSE(fs::exists(folder / "clips"));
    std::string text = toJson(Document(Kept().session));
    const auto at = text.find("\"loudness\"");
    ASSERT_NE(at, std::string::npos);
    text.replace(text.find("\"to\": 5", at > 200 ? at - 200 : 0), 7, "\"to\": 1");
    EXPECT_NE(test::errorOf([&] { (void)documentFromJson(text, "s"); }).find("clip"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
