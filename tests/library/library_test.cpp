// The library of sounds: scanned, searched, damaged and mended.

#include "core/library/library.h"

#include "core/base/error.h"
#include "demo/one_shots.h"
#include "tests/support/accuracy.h"
#include "tests/support/made_up.h"
#include "tests/support/support.h"

#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::kMadeUpRate;
using test::TempFolder;
using testing::HasSubstr;

// Forty sounds in two folders.
struct Shelf {
    TempFolder folder;

    Shelf() {
        std::filesystem::create_directories(folder / "a/deep");
        std::filesystem::create_directories(folder / "b");
        for (int i = 0; i < 40; ++i) {
            Random random(static_cast<std::uint64_t>(i) + 1);
            static constexpr const char* kNames[] = {"kick", "snare", "hat", "tom", "crash"};
            test::writeMono(folder / (std::string(i % 2 == 0 ? "a/deep/" : "b/") + kNames[i % 5] +
                                      " " + std::to_string(i) + ".wav"),
                            test::madeUpDrum(random, i));
        }
    }
    [[nodiscard]] std::vector<std::filesystem::path> both() const {
        return {folder / "a", folder / "b"};
    }
};

TEST(Library, ReadsWhatIsNewAndForgetsWhatIsGone) {
    const Shelf shelf;
    Library library(shelf.folder / "index.sqlite");
    LibraryScan scan = library.scan(shelf.both());
    EXPECT_EQ(scan.found, 40);
    EXPECT_EQ(scan.added, 40);
    EXPECT_EQ(library.size(), 40U);
    scan = library.scan(shelf.both());
    EXPECT_EQ(scan.unchanged, 40);
    EXPECT_EQ(scan.added, 0);
    std::filesystem::remove(shelf.folder / "b/snare 1.wav");
    Random random(99);
    test::writeMono(shelf.folder / "b/tom 3.wav", test::madeUpDrum(random, 3));
    // Another folder's sounds are not missed by a scan of one.
    scan = library.scan({shelf.folder / "b"});
    EXPECT_EQ(scan.gone, 1);
    EXPECT_EQ(scan.added, 1);
    EXPECT_EQ(library.size(), 39U);
    // What was found is there for who opens the index anew.
    const Library again(shelf.folder / "index.sqlite");
    EXPECT_EQ(again.size(), 39U);
    EXPECT_TRUE(again.remark().empty());
}

TEST(Library, SearchesByWordsRolesAndRanges) {
    const Shelf shelf;
    Library library(shelf.folder / "index.sqlite");
    library.scan(shelf.both());
    LibrarySearch search;
    search.words = "DEEP kick";
    EXPECT_EQ(library.search(search).size(), 4U);
    search.words.clear();
    search.role = Role::snare;
    EXPECT_EQ(library.search(search).size(), 8U);
    search.role = Role::kick;
    search.leastHertz = 40.0;
    search.mostHertz = 90.0;
    for (const LibrarySound& s : library.search(search))
        EXPECT_LE(s.features.fundamentalHz, 90.0) << s.file;
    search.limit = 2;
    EXPECT_LE(library.search(search).size(), 2U);
}

TEST(Library, BrokenFilesAreToldAndDoNotStopIt) {
    const Shelf shelf;
    test::writeText(shelf.folder / "a/broken.wav", "RIFFnothing");
    test::writeMono(shelf.folder / "a/song.wav", std::vector<float>(48000 * 31, 0.1F));
    test::writeMono(shelf.folder / "a/silent.wav", std::vector<float>(4800, 0.0F));
    Library library(shelf.folder / "index.sqlite");
    LibraryScan scan = library.scan(shelf.both());
    EXPECT_EQ(scan.refused.size(), 2U);
    EXPECT_EQ(library.size(), 41U);
    // They are told again, and not read again.
    scan = library.scan(shelf.both());
    EXPECT_EQ(scan.refused.size(), 2U);
    EXPECT_EQ(scan.unchanged, 43);
    EXPECT_THROW((void)library.scan({shelf.folder / "nowhere"}), Error);
}

TEST(Library, CanBeStoppedAndKeepsWhatItHasRead) {
    const Shelf shelf;
    Library library(shelf.folder / "index.sqlite");
    int read = 0;
    EXPECT_THROW(
        (void)library.scan(shelf.both(), [&](double, const std::string&) { return ++read <= 10; }),
        Cancelled);
    EXPECT_EQ(library.size(), 10U);
    EXPECT_EQ(library.scan(shelf.both()).unchanged, 10);
}

TEST(Library, ADamagedIndexIsMadeAnewWithASentence) {
    const Shelf shelf;
    const auto index = shelf.folder / "index.sqlite";
    { Library(index).scan(shelf.both()); }
    for (const std::string& spoilt : {std::string("this is no index at all, none whatever"),
                                      std::string(), test::readText(index).substr(0, 6000)}) {
        for (const char* more : {"-wal", "-shm"}) std::filesystem::remove(index.string() + more);
        test::writeText(index, spoilt);
        Library library(index);
        EXPECT_THAT(library.remark(), HasSubstr(spoilt.empty() ? "" : "scan your folders again"));
        EXPECT_EQ(library.size(), 0U);
        EXPECT_EQ(library.scan(shelf.both()).added, 40);
    }
}

TEST(SoundFeatures, SayWhatASoundIs) {
    const auto shot = [](demo::Drum drum, demo::Articulation how = demo::Articulation::normal) {
        return soundFeatures(demo::strikeAlone(drum, 0.9, kMadeUpRate, 3, how), kMadeUpRate);
    };
    const SoundFeatures kick = shot(demo::Drum::kick), tom = shot(demo::Drum::floorTom),
                        hat = shot(demo::Drum::hat, demo::Articulation::closed),
                        crash = shot(demo::Drum::crash);
    EXPECT_NEAR(kick.fundamentalHz, 54.0, 8.0);
    EXPECT_NEAR(tom.fundamentalHz, 81.0, 8.0);
    EXPECT_EQ(hat.fundamentalHz, 0.0);
    EXPECT_GT(hat.brightnessHz, 3000.0);
    EXPECT_LT(kick.brightnessHz, 800.0);
    EXPECT_GT(crash.decayMs, 4.0 * hat.decayMs);
    EXPECT_GT(hat.noisiness, 3.0 * kick.noisiness);
    EXPECT_EQ(kick.hint, SoundHint::none);
    std::vector<float> cut = demo::strikeAlone(demo::Drum::snare, 0.9, kMadeUpRate, 3);
    for (float& x : cut) x = std::clamp(x, -0.2F, 0.2F);
    EXPECT_EQ(soundFeatures(cut, kMadeUpRate).hint, SoundHint::clipped);
    EXPECT_EQ(soundFeatures(std::vector<float>(1000, 0.0F), kMadeUpRate).seconds, 0.0);
    EXPECT_EQ(soundFeatures({}, kMadeUpRate).seconds, 0.0);
}

// The same sound, moved in pitch, level and tone, among three hundred.
TEST(SoundFeatures, FindTheSameSoundAgain) {
    std::vector<std::vector<float>> sounds;
    for (int i = 0; i < 240; ++i) {
        Random random(static_cast<std::uint64_t>(i) * 11 + 3);
        sounds.push_back(test::madeUpDrum(random, i));
    }
    for (std::uint64_t i = 0; i < 60; ++i)
        sounds.push_back(demo::strikeAlone(static_cast<demo::Drum>(i % 7),
                                           0.4 + 0.01 * static_cast<double>(i), kMadeUpRate, i));
    std::vector<SoundFeatures> all;
    for (const auto& s : sounds) all.push_back(soundFeatures(s, kMadeUpRate));
    int found = 0, asked = 0;
    for (std::size_t i = 0; i < sounds.size(); i += 3) {
        const double semitones = static_cast<double>(asked % 9) - 4.0,
                     db = asked % 2 == 0 ? -12.0 : 12.0;
        std::vector<float> other =
            test::shelved(test::higher(sounds[i], semitones), asked % 4 < 2 ? 300.0 : 4000.0,
                          asked % 3 == 0 ? 6.0 : -6.0);
        for (float& x : other) x *= static_cast<float>(0.2 * std::pow(10.0, db / 20.0));
        const std::vector<SoundFeatures> f = transposedFeatures(other, kMadeUpRate);
        const double own = soundDistance(f, all[i]);
        const auto nearer = std::count_if(all.begin(), all.end(), [&](const SoundFeatures& x) {
            return soundDistance(f, x) < own;
        });
        found += nearer < 5 ? 1 : 0;
        ++asked;
    }
    test::accuracy("library: the same sound among 300 in the first five", "> 90 %",
                   100.0 * found / asked, "%", found * 10 >= asked * 9);
    EXPECT_GE(found * 10, asked * 9) << found << " of " << asked;
}

}  // namespace
}  // namespace ember
