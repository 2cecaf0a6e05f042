#include "core/report/print_stack.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/session/file.h"
#include "tests/engine/stacked.h"

#include <filesystem>
#include <set>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::Stacked;
using test::TempFolder;

struct TwoLayers : Stacked {
    TwoLayers() : Stacked({test::burst(4800), test::burst(9600, 4)}, {}) {
        set("sound0", "follow", 100.0);
        set("sound1", "offset", -3.0);
    }
};

std::size_t filesIn(const fs::path& folder) {
    return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder), {}));
}

TEST(PrintStack, IsTheSampleThatAStrokePlays) {
    TwoLayers s;
    const TempFolder folder;
    StackPrintOptions options;
    options.longest = 1.0;
    const StackPrint made =
        printStack(s.session, test::sharedStore(), "stack", folder.path(), options);
    ASSERT_EQ(made.samples.size(), 1U);
    EXPECT_TRUE(made.map.empty());
    EXPECT_EQ(made.samples[0].file.filename(), "Stack.wav");
    EXPECT_EQ(filesIn(folder.path()), 2U) << "the sample and its recipe";
    // The same as a stroke that the session plays, which begins 5 ms into the sample.
    s.session.strokes = Shared(std::vector<Stroke>{test::strokeAt(0.5, 1.0)});
    s.soften();
    const std::vector<float> mix = s.rendered();
    const AudioBuffer sample = readAudio(made.samples[0].file);
    ASSERT_GE(sample.channels.size(), 2U);
    const double gain = gainFromDb(30.0);
    double worst = 0.0;
    for (std::size_t i = 0; i < 9000; ++i)
        worst = std::max(worst, std::abs(static_cast<double>(mix[24000 - 240 + i]) * gain -
                                         static_cast<double>(sample.channels[0][i])));
    EXPECT_LT(dbFromGain(worst), -100.0);
    const SoundNotes notes = readSoundNotes(made.samples[0].file);
    EXPECT_EQ(notes.key, 38);
    EXPECT_NE(notes.comment.find("sound0.wav"), std::string::npos) << notes.comment;
    EXPECT_NE(notes.comment.find("−3.00 ms"), std::string::npos) << notes.comment;
    // The recipe is a session that plays the same.
    const Document recipe = loadDocument(made.recipe);
    const TempFolder again;
    const StackPrint second = printStack(withAbsolutePaths(recipe.session(), made.recipe),
                                         test::sharedStore(), "stack", again.path(), options);
    EXPECT_EQ(readAudio(second.samples[0].file), sample);
}

TEST(PrintStack, MakesASetByVelocityWithOthersInTurn) {
    TwoLayers s;
    // Two twins in turn: variations differ.
    Layer& layer = requireLayer(*findRow(s.session, "stack"), "sound0");
    layer.sounds.push_back(requireLayer(*findRow(s.session, "stack"), "sound1").sounds.front());
    const TempFolder folder;
    StackPrintOptions options;
    options.steps = 3;
    options.variations = 2;
    options.longest = 0.8;
    const StackPrint made =
        printStack(s.session, test::sharedStore(), "stack", folder.path(), options);
    ASSERT_EQ(made.samples.size(), 6U);
    EXPECT_EQ(made.samples.front().file.filename(), "Stack v1 r1.wav");
    EXPECT_EQ(filesIn(folder.path()), 8U) << "with the set and the recipe";
    for (std::size_t i = 2; i < made.samples.size(); ++i)
        EXPECT_GT(made.samples[i].peakDb, made.samples[i - 2].peakDb) << "harder is louder";
    EXPECT_NE(readAudio(made.samples[4].file), readAudio(made.samples[5].file));
    const std::string map = test::readText(made.map);
    std::set<int> covered;
    std::size_t regions = 0;
    for (std::size_t at = map.find("<region>"); at != std::string::npos;
         at = map.find("<region>", at + 1), ++regions) {
        const int low = std::stoi(map.substr(map.find("lovel=", at) + 6)),
                  high = std::stoi(map.substr(map.find("hivel=", at) + 6));
        for (int v = low; v <= high; ++v) covered.insert(v);
    }
    EXPECT_EQ(regions, 6U);
    EXPECT_EQ(covered.size(), 127U) << "no velocity is left out";
    EXPECT_EQ(*covered.begin(), 1);
    EXPECT_NE(map.find("seq_position=2"), std::string::npos);
    EXPECT_NE(map.find("sample=Stack v3 r2.wav"), std::string::npos);
}

TEST(PrintStack, RefusesAndLeavesNothingBehind) {
    const TwoLayers s;
    const TempFolder folder;
    const fs::path target = folder / "samples";
    StackPrintOptions options;
    options.longest = 0.5;
    const auto print = [&](const char* row, const Progress& progress = {}) {
        return printStack(s.session, test::sharedStore(), row, target, options, progress);
    };
    EXPECT_THROW(print("one"), Error) << "it plays a recording";
    EXPECT_THROW(
        print("stack", [](double, const std::string& what) { return what != "Stack.wav"; }),
        Cancelled);
    EXPECT_FALSE(fs::exists(target));
    print("stack");
    EXPECT_NE(test::errorOf([&] { print("stack"); }).find("is there already"), std::string::npos);
    EXPECT_EQ(filesIn(target), 2U) << "what was there stays";
    // What nothing starts.
    Session silent = withLayerValue(s.session, "stack", "sound0", "on", 0.0);
    silent = withLayerValue(std::move(silent), "stack", "sound1", "on", 0.0);
    const fs::path other = folder / "other";
    EXPECT_NE(test::errorOf([&] {
                  printStack(silent, test::sharedStore(), "stack", other, options);
              }).find("starts nothing"),
              std::string::npos);
    EXPECT_FALSE(fs::exists(other));
    // A FLAC cannot hold what goes over full scale.
    const Session loud = withLayerValue(s.session, "stack", "sound1", "level", 12.0);
    options.flac = true;
    EXPECT_NE(test::errorOf([&] {
                  printStack(loud, test::sharedStore(), "stack", other, options);
              }).find("would clip"),
              std::string::npos);
    const StackPrint flac = printStack(withLayerValue(s.session, "stack", "sound1", "level", -12.0),
                                       test::sharedStore(), "stack", other, options);
    EXPECT_NE(readSoundNotes(flac.samples[0].file).comment.find("Stack, printed by Ember Cask of"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
