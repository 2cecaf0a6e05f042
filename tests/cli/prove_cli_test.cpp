// Snapshots, comparison, notes, the recall sheet and checks before delivery, as a stranger runs
// them.

#include "core/session/file.h"
#include "tests/support/cli.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace ember {
namespace {

using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

TEST(Cli, KeepsComparesAndWritesDown) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    const auto done = [&](const std::string& what) { return test::done(folder, what); };
    EXPECT_NE(done("snapshot take " + session + " Tight --note 'as it came'")
                  .find("snapshot “Tight” taken: as it came"),
              std::string::npos);
    done("set " + session + " snare-top seat.level 6");
    const Json compared =
        Json::parse(done("compare " + session + " Tight now --from 2 --to 8 --json"));
    const auto snare = std::find_if(compared["rows"].begin(), compared["rows"].end(),
                                    [](const Json& r) { return r["row"] == "snare-top"; });
    ASSERT_NE(snare, compared["rows"].end());
    EXPECT_NEAR(
        (*snare)["b"]["loudness_lufs"].get<double>() - (*snare)["a"]["loudness_lufs"].get<double>(),
        6.0, 0.05);
    EXPECT_EQ(compared["settings"].size(), 1U);
    EXPECT_LT(compared["gain_db"].get<double>(), 0.0);
    EXPECT_GE((*snare)["a"]["spectrum"].size(), 29U) << "third octaves";
    done("snapshot judge " + session + " tight better --note 'more room'");
    done("snapshot name " + session + " Tight Tighter");
    const Json list = Json::parse(done("snapshot list " + session + " --json"));
    EXPECT_EQ(list[0]["name"], "Tighter");
    EXPECT_EQ(list[0]["verdict"], "better");
    EXPECT_EQ(list[0]["note"], "more room");
    done("snapshot use " + session + " Tighter");
    EXPECT_EQ(Json::parse(done("compare " + session + " tighter --to 8 --json"))["settings"].size(),
              0U);
    done("note " + session + " 'try it brighter' --element 'Snare Top' --processor gate --at 3.5");
    EXPECT_EQ(loadDocument(folder / "S.json").log().back().at, 3.5);
    for (const char* wrong : {"snapshot use S.json Loose", "snapshot judge S.json Tighter great",
                              "note S.json x --element nobody", "note S.json x --processor gate"}) {
        std::string command = wrong;
        command.replace(command.find("S.json"), 6, session);
        EXPECT_EQ(cli(folder, command).status, 1) << wrong;
    }
    done("snapshot drop " + session + " Tighter");
    EXPECT_EQ(Json::parse(done("snapshot list " + session + " --json")).size(), 0U);
}

TEST(Cli, WritesTheRecallSheetInFourForms) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    ASSERT_EQ(cli(folder, "set " + session + " snare-top gate.threshold -31.5").status, 0);
    for (const auto& [name, begin, holds] :
         std::initializer_list<std::tuple<const char*, const char*, const char*>>{
             {"R.html", "<!DOCTYPE html>", "−31.5 dB"},
             {"R.pdf", "%PDF-", "/Type /Page"},
             {"R.csv", "row,name,step", "snare-top,Snare Top,gate,gate,1,threshold"},
             {"R.md", "# ", "| Threshold | −31.5 dB |"}}) {
        const Answer a =
            cli(folder, "report " + session + " --out " + quoted(folder / name) + " --json");
        ASSERT_EQ(a.status, 0) << name << a.err;
        const std::string text = test::readText(folder / name);
        EXPECT_TRUE(text.starts_with(begin)) << name;
        EXPECT_NE(text.find(holds), std::string::npos) << name;
        EXPECT_GT(Json::parse(a.out)["rows"].get<int>(), 12);
    }
    EXPECT_NE(test::readText(folder / "R.html").find("As recorded → now"), std::string::npos);
    const Answer a = cli(folder, "report " + session + " --out " + quoted(folder / "plain.html") +
                                     " --settings-alone");
    EXPECT_EQ(a.status, 0);
    EXPECT_EQ(test::readText(folder / "plain.html").find("As recorded → now"), std::string::npos);
    const Answer wrong = cli(folder, "report " + session + " --out " + quoted(folder / "R.doc"));
    EXPECT_EQ(wrong.status, 1);
    EXPECT_NE(wrong.err.find(".html, .pdf, .csv or .md"), std::string::npos);
    EXPECT_EQ(cli(folder, "report " + session + " --out /nowhere/R.pdf --settings-alone").status,
              1);
}

TEST(Cli, LooksEverythingOverBeforeDelivery) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    Answer a = cli(folder, "check " + session + " --delivery --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json fine = Json::parse(a.out);
    EXPECT_GE(fine["checks"].size(), 6U);
    for (const char* field : {"state", "what", "sentence", "row"})
        EXPECT_TRUE(fine["checks"][0].contains(field)) << field;
    ASSERT_EQ(cli(folder, "set " + session + " hat solo on").status, 0);
    a = cli(folder, "check " + session + " --delivery");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("Only Hat would be heard"), std::string::npos) << a.err;
}

// The drive test's offer and the shortest chain are edits with their reason in the logbook.
TEST(Cli, LowersWhatBreaksFirstAndSwitchesOffWhatCouldGo) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    const auto done = [&](const std::string& what) { return test::done(folder, what); };
    const auto reasons = [&] {
        const Document document = loadDocument(folder / "S.json");
        std::string all;
        for (const LogEntry& entry : document.log()) all += entry.reason;
        return all;
    };
    done("set " + session + " floor-tom seat.level 9");
    const Json test = Json::parse(done("drive " + session + " --json"));
    ASSERT_EQ(test["first"], "floor-tom");
    ASSERT_FALSE(test["offer"].is_null()) << test["sentences"];
    EXPECT_FALSE(test["gives_way"].get<std::string>().empty());
    done("drive " + session + " --lower");
    const Document lowered = loadDocument(folder / "S.json");
    const Row& tom = *findRow(lowered.session(), "floor-tom");
    EXPECT_NEAR(findStage(tom, "seat")->values[0], 9.0 - test["offer"]["lower_db"].get<double>(),
                1e-6);
    EXPECT_NE(reasons().find("too loud"), std::string::npos) << reasons();
    // An expander that nothing reaches.
    done("add " + session + " hat expander");
    done("set " + session + " hat expander.threshold -80");
    const Json steps = Json::parse(done("shorten " + session + " --to 5 --json"));
    EXPECT_TRUE(std::any_of(steps.begin(), steps.end(), [](const Json& s) {
        return s["row"] == "hat" && s["goes_with_the_others"].get<bool>();
    })) << steps.dump(1);
    done("shorten " + session + " --to 5 --off");
    EXPECT_NE(reasons().find("could go"), std::string::npos) << reasons();
}

}  // namespace
}  // namespace ember
