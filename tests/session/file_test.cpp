#include "core/session/file.h"

#include "core/base/error.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <nlohmann/json.hpp>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <filesystem>

namespace ember {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;
using test::TempFolder;

Document document() {
    Session s = withValue(test::shortSession(), "snare-top", "gate", "threshold", -28.5);
    s = withValue(s, "snare-top", "eq", "b2.shape", 5.0);
    s.loop = {true, 1.5, 3.25};
    s.spots = {{"the break", 12.0, 14.5}};
    s.targets = {{"kick", true, TargetStrokes::usual, -16.0},
                 {"room", false, TargetStrokes::all, -30.0}};
    s.style = Style::soul;
    s.notes = {{"snare", 196.0}, {"rack-tom", 118.5}};
    s.strokeEdits = {{true, {1.5, "kick", "kick-in", 0.8, -1.0, StrokeKind::normal, 0.9, false}}};
    s = withStageAdded(s, "hat", "de-harsher");
    s = withSend(s, "hat", {"main", true, true, -12.5, 40.0});
    requireRow(s, "snare-top").frozen = Print{
        {{"prints/snare.wav", std::string(32, 'a'), 0, 0.0}}, std::string(32, 'b'), 1'700'000'000};
    requireRow(s, "overhead").printed =
        PrintedOf{"drum-bus", std::string(32, 'c'), -3.5, 1'700'000'000};
    Document d(s);
    d.note("A line of one's own");
    return d;
}

TEST(SessionFile, ReadsBackExactlyWhatItWrote) {
    const TempFolder folder;
    saveDocument(folder / "s.json", document());
    const Document back = loadDocument(folder / "s.json");
    EXPECT_EQ(back.session(), document().session());
    EXPECT_EQ(back.log().size(), document().log().size());
    EXPECT_EQ(back.log().back().what.text, "A line of one's own");
}

TEST(SessionFile, MatchesItsPublishedSchema) {
    const Json schemaText =
        Json::parse(test::readText(fs::path(EMBER_SOURCE_FOLDER) / "docs/session.schema.json"));
    valijson::Schema schema;
    valijson::SchemaParser parser;
    const valijson::adapters::NlohmannJsonAdapter schemaAdapter(schemaText);
    parser.populateSchema(schemaAdapter, schema);
    const auto valid = [&](const Json& json) {
        valijson::Validator validator;
        valijson::ValidationResults results;
        const valijson::adapters::NlohmannJsonAdapter adapter(json);
        const bool good = validator.validate(schema, adapter, &results);
        valijson::ValidationResults::Error error;
        while (!good && results.popError(error))
            ADD_FAILURE_AT(__FILE__, __LINE__) << error.description;
        return good;
    };
    Json json = Json::parse(toJson(document()));
    EXPECT_TRUE(valid(json));
    // The schema knows every type there is.
    for (const ProcessorType& type : processorTypes()) {
        const auto& known = schemaText["definitions"]["stage"]["properties"]["type"]["enum"];
        EXPECT_NE(std::find(known.begin(), known.end(), type.id), known.end()) << type.id;
    }
}

TEST(SessionFile, KeepsFieldsItDoesNotKnow) {
    Json json = Json::parse(toJson(document()));
    json["weather"] = "fair";
    json["rows"][0]["colour"] = {1, 2, 3};
    json["rows"][0]["chain"][1]["note"] = "mine";
    const Json back = Json::parse(toJson(documentFromJson(json.dump(), "s.json")));
    EXPECT_EQ(back["weather"], "fair");
    EXPECT_EQ(back["rows"][0]["colour"], json["rows"][0]["colour"]);
    EXPECT_EQ(back["rows"][0]["chain"][1]["note"], "mine");
}

TEST(SessionFile, FillsWhatIsLeftOutWithDefaults) {
    Json json = Json::parse(toJson(document()));
    json["rows"][0]["chain"][1]["values"].erase("hold");
    const Document d = documentFromJson(json.dump(), "s.json");
    EXPECT_EQ(d.session().rows[0].chain[1].values, document().session().rows[0].chain[1].values);
}

TEST(SessionFile, SaysInOneSentenceWhatIsBrokenAndWhere) {
    const Json good = Json::parse(toJson(document()));
    const auto sentence = [](const std::string& text) {
        return test::errorOf([&] { documentFromJson(text, "mine.json"); });
    };
    const auto changed = [&](const std::function<void(Json&)>& change) {
        Json json = good;
        change(json);
        return sentence(json.dump());
    };
    std::vector<std::string> all{
        sentence(""),
        sentence("{"),
        sentence("[]"),
        sentence("\"text\""),
        sentence("{\"format\": \"other\"}"),
        sentence(good.dump().substr(0, 700)),
        changed([](Json& j) { j["version"] = 99; }),
        changed([](Json& j) { j["rows"] = 5; }),
        changed([](Json& j) { j["rows"][2] = "row"; }),
        changed([](Json& j) { j["time"]["tempos"][0]["bpm"] = "fast"; }),
        changed([](Json& j) { j["time"]["metres"] = Json::array(); }),
        changed([](Json& j) { j["sampleRate"] = -1; }),
        changed([](Json& j) { j["rows"][0]["kind"] = "drum"; }),
        changed([](Json& j) { j["rows"][0]["chain"][1]["type"] = "reverb9"; }),
        changed([](Json& j) { j["rows"][0]["chain"][1]["values"]["threshold"] = 500; }),
        changed([](Json& j) { j["rows"][0]["chain"][1]["values"]["threshold"] = "loud"; }),
        changed([](Json& j) { j["rows"][0]["sources"][0].erase("file"); }),
        changed([](Json& j) { j["rows"].clear(); })};
    for (const std::string& s : all) {
        EXPECT_NE(s.find("mine.json"), std::string::npos) << s;
        EXPECT_EQ(s.back(), '.') << s;
        EXPECT_EQ(s.find('\n'), std::string::npos) << s;
        EXPECT_EQ(s.find("json.exception"), std::string::npos) << s;
    }
    EXPECT_NE(all[6].find("newer"), std::string::npos);
}

TEST(SessionFile, LivesWithItsRecordingsWhereverTheFolderGoes) {
    const TempFolder folder;
    fs::create_directories(folder / "a/audio");
    test::writeMono(folder / "a/audio/one.wav", test::noise(0.1, 4800));
    const Session absolute = test::oneElement(folder / "a/audio/one.wav");
    saveDocument(folder / "a/s.json", Document(withRelativePaths(absolute, folder / "a/s.json")));
    EXPECT_EQ(loadDocument(folder / "a/s.json").session().rows[0].sources[0].file, "audio/one.wav");
    fs::rename(folder / "a", folder / "b");
    const Session moved =
        withAbsolutePaths(loadDocument(folder / "b/s.json").session(), folder / "b/s.json");
    EXPECT_TRUE(fs::exists(moved.rows[0].sources[0].file));
}

TEST(SessionFile, KeepsThePreviousSaveAndTheOldFileWhenWritingFails) {
    const TempFolder folder;
    saveDocument(folder / "s.json", document());
    const std::string first = test::readText(folder / "s.json");
    Document second = document();
    second.note("later");
    saveDocument(folder / "s.json", second);
    EXPECT_EQ(test::readText(folder / "s.json.previous"), first);
    const std::string now = test::readText(folder / "s.json");
    // A folder stands where the temporary file would go: writing must fail and change nothing.
    EXPECT_NE(
        test::errorOf([&] { saveDocument(folder / "nowhere/s.json", second); }).find("nowhere"),
        std::string::npos);
    EXPECT_EQ(test::readText(folder / "s.json"), now);
}

TEST(SessionFile, FullDiskLosesNothing) {
    const TempFolder folder;
    saveDocument(folder / "s.json", document());
    const std::string before = test::readText(folder / "s.json");
    // A limit on file size stands for the full disk: the write comes back short.
    const pid_t child = fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
        std::signal(SIGXFSZ, SIG_IGN);
        rlimit limit{2000, 2000};
        setrlimit(RLIMIT_FSIZE, &limit);
        try {
            Document d = document();
            d.note("this will not fit");
            saveDocument(folder / "s.json", d);
        } catch (const Error&) {
            _exit(7);
        }
        _exit(0);
    }
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_EQ(WEXITSTATUS(status), 7) << "the failure must be said";
    EXPECT_EQ(test::readText(folder / "s.json"), before);
}

// The long form, 500 kills, is part of ./run soak (EMBER_KILLS).
TEST(SessionFile, KilledWhileSavingTheLastSaveAlwaysOpens) {
    const TempFolder folder;
    const char* wanted = std::getenv("EMBER_KILLS");
    const int kills = wanted != nullptr ? std::atoi(wanted) : 40;
    saveDocument(folder / "s.json", document());
    // Kills are spread over two saves, however long one takes here.
    const auto begun = std::chrono::steady_clock::now();
    saveDocument(folder / "s.json", document());
    const auto spread =
        std::max<std::int64_t>(2000, 2 * std::chrono::duration_cast<std::chrono::microseconds>(
                                             std::chrono::steady_clock::now() - begun)
                                             .count());
    int during = 0;
    for (int n = 0; n < kills; ++n) {
        int ready[2];
        ASSERT_EQ(pipe(ready), 0);
        const pid_t child = fork();
        ASSERT_GE(child, 0);
        if (child == 0) {
            Document d = document();
            for (int save = 0;; ++save) {
                d.note("save " + std::to_string(save));
                saveDocument(folder / "s.json", d);
                if (save == 0 && write(ready[1], "x", 1) != 1) _exit(1);
            }
        }
        char byte = 0;
        ASSERT_EQ(read(ready[0], &byte, 1), 1);
        usleep(static_cast<useconds_t>((n * std::int64_t{7919}) % spread));
        kill(child, SIGKILL);
        int status = 0;
        waitpid(child, &status, 0);
        close(ready[0]);
        close(ready[1]);
        EXPECT_TRUE(WIFSIGNALED(status));
        const Document back = loadDocument(folder / "s.json");
        EXPECT_EQ(back.session(), document().session());
        for (const auto& item : fs::directory_iterator(folder.path()))
            during += item.path().extension() != ".json" && item.path().extension() != ".previous"
                          ? 1
                          : 0;
    }
    EXPECT_GT(during, 0) << "no kill hit a write; the test would prove nothing";
}

TEST(ChainFile, KeepsProcessorsAndNotTheirPlace) {
    const test::TempFolder folder;
    Session session = test::shortSession();
    session = withValue(std::move(session), "snare-top", "gate", "threshold", -23.5);
    session = withStageAdded(std::move(session), "snare-top", "saturation");
    session = withValue(std::move(session), "snare-top", "eq", "b14.gain", 2.0);
    session = withWord(std::move(session), "snare-top", "eq", "b14.name", "stick");
    const Row& snare = *findRow(session, "snare-top");
    saveChain(folder / "snare.json", std::span(snare.chain).subspan(1, snare.chain.size() - 2));
    const std::vector<Stage> chain = loadChain(folder / "snare.json");
    ASSERT_EQ(chain.size(), snare.chain.size() - 2);
    const Session other = withChain(session, "rack-tom", chain);
    const Row &tom = *findRow(other, "rack-tom"), &was = *findRow(session, "rack-tom");
    ASSERT_EQ(tom.chain.size(), snare.chain.size());
    EXPECT_EQ(tom.chain.front(), was.chain.front());
    EXPECT_EQ(tom.chain.back(), was.chain.back());
    for (std::size_t i = 1; i + 1 < tom.chain.size(); ++i) {
        EXPECT_EQ(tom.chain[i].values, snare.chain[i].values);
        EXPECT_EQ(tom.chain[i].on, snare.chain[i].on);
        EXPECT_EQ(tom.chain[i].words, snare.chain[i].words) << "names of bands come along";
        EXPECT_EQ(tom.chain[i].key, "");
    }
    EXPECT_EQ(validate(other), "");
    // One of them as a preset; for another type it is refused.
    const Session preset = withPreset(session, "kick-in", "gate", chain.front());
    EXPECT_EQ(findStage(*findRow(preset, "kick-in"), "gate")->values, chain.front().values);
    EXPECT_NE(test::errorOf([&] { withPreset(session, "kick-in", "eq", chain.front()); }), "");
}

TEST(ChainFile, SaysWhatIsWrongWithAFile) {
    for (const char* text :
         {"", "{", "[]", "{\"format\": \"other\"}", "{\"format\": \"ember-cask chain\"}",
          "{\"format\": \"ember-cask chain\", \"stages\": [{\"type\": \"nothing\"}]}",
          "{\"format\": \"ember-cask chain\", \"stages\": [{\"type\": \"gate\", \"values\": "
          "{\"threshold\": 99}}]}"}) {
        const std::string sentence = test::errorOf([&] { chainFromJson(text, "odd.json"); });
        EXPECT_TRUE(sentence.starts_with("“odd.json”")) << text << " " << sentence;
    }
    EXPECT_NE(test::errorOf([] { loadChain("/nowhere/at/all.json"); }), "");
}

TEST(SessionFile, KeepsUnknownFieldsOfSourcesStrokesAndTheLog) {
    Json json = Json::parse(toJson(document()));
    json["rows"][0]["sources"][0]["preamp"] = "old";
    json["strokes"] = Json::array({{{"time", 1.0}, {"drum_id", "kick"}, {"hand", "left"}}});
    json["logbook"] = Json::array({{{"time", 5}, {"text", "Begun."}, {"why", {{"by", "ear"}}}}});
    const Json back = Json::parse(toJson(documentFromJson(json.dump(), "s.json")));
    EXPECT_EQ(back["rows"][0]["sources"][0]["preamp"], "old");
    EXPECT_EQ(back["strokes"][0]["hand"], "left");
    EXPECT_EQ(back["logbook"][0]["why"]["by"], "ear");
}

TEST(SessionFile, SaysThatANumberIsBeyondAllBounds) {
    for (const char* text : {"288e2928", "{\"tempo\": 1e999}", "[1, -1e400]"}) {
        const std::string said = test::errorOf([&] { (void)documentFromJson(text, "s.json"); });
        EXPECT_NE(said.find("number beyond all bounds"), std::string::npos) << text << ": " << said;
        EXPECT_FALSE(test::errorOf([&] { (void)chainFromJson(text, "c.json"); }).empty());
    }
}

TEST(SessionFile, KeepsPathsThatAreNoUtf8) {
    Session s = test::shortSession();
    const std::string odd = "/somewhere/Gro\xdf.wav";
    s.rows.front().sources.front().file = odd;
    const std::string text = toJson(Document(s));
    EXPECT_TRUE(Json::accept(text));
    EXPECT_EQ(documentFromJson(text, "s.json").session().rows.front().sources.front().file, odd);
}

}  // namespace
}  // namespace ember
