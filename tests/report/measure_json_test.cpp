// What measure and advise print, against the published schema and against the measurement itself.

#include "core/report/measure_json.h"

#include "core/base/error.h"
#include "core/report/bus_levels.h"
#include "tests/support/support.h"

#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

#include <algorithm>
#include <filesystem>

namespace ember {
namespace {

using Json = nlohmann::json;

// Every complaint of the schema about a document, one a line.
std::string complaints(const Json& document) {
    const Json text = Json::parse(
        test::readText(std::filesystem::path(EMBER_SOURCE_FOLDER) / "docs/measure.schema.json"));
    valijson::Schema schema;
    valijson::SchemaParser parser;
    const valijson::adapters::NlohmannJsonAdapter schemaAdapter(text), adapter(document);
    parser.populateSchema(schemaAdapter, schema);
    valijson::Validator validator;
    valijson::ValidationResults results;
    std::string all;
    if (validator.validate(schema, adapter, &results)) return all;
    valijson::ValidationResults::Error error;
    while (results.popError(error)) all += error.description + "\n";
    return all.empty() ? "invalid" : all;
}

const KitMeasurement& measured() {
    static const KitMeasurement m = measureKit(test::shortSession(), test::sharedStore());
    return m;
}

TEST(MeasureJson, MatchesItsPublishedSchema) {
    const auto buses = busLevels(test::shortSession(), test::sharedStore());
    const Json all = Json::parse(measurementJson(test::shortSession(), measured(), {}, buses));
    EXPECT_EQ(complaints(all), "");
    for (const char* part : {"strokes", "bleed", "phase", "tone", "sympathetic", "time", "grid",
                             "dynamics", "levels", "image", "buses"})
        EXPECT_TRUE(all.contains(part)) << part;
    // The schema does complain.
    Json broken = all;
    broken["strokes"][0].erase("drum");
    EXPECT_NE(complaints(broken), "");
    broken = all;
    broken["phase"][0]["polarity"] = 3;
    EXPECT_NE(complaints(broken), "");
    broken = all;
    broken["levels"][0].erase("row");
    EXPECT_NE(complaints(broken), "");
}

TEST(MeasureJson, HoldsOnlyThePartsAskedFor) {
    const Json one = Json::parse(measurementJson(test::shortSession(), measured(), {"time"}));
    EXPECT_EQ(one.size(), 2U);
    EXPECT_TRUE(one.contains("time") && one.contains("grid"));
    EXPECT_EQ(complaints(one), "");
    const std::string why =
        test::errorOf([] { measurementJson(test::shortSession(), measured(), {"smell"}); });
    EXPECT_NE(why.find("smell"), std::string::npos);
    EXPECT_NE(why.find("strokes"), std::string::npos) << "it says what there is";
}

TEST(MeasureJson, SaysWhatWasMeasured) {
    const Json all = Json::parse(measurementJson(test::shortSession(), measured(), {}));
    ASSERT_EQ(all["strokes"].size(), measured().strokes.strokes.size());
    for (std::size_t i = 0; i < measured().strokes.strokes.size(); ++i) {
        const Stroke& s = measured().strokes.strokes[i];
        EXPECT_EQ(all["strokes"][i]["drum_id"], s.drum);
        EXPECT_EQ(all["strokes"][i]["drum"], drumKindIn(test::shortSession(), s.drum));
        EXPECT_EQ(all["strokes"][i]["drum_name"], drumName(test::shortSession(), s.drum));
        EXPECT_DOUBLE_EQ(all["strokes"][i]["time_s"].get<double>(), s.time);
        EXPECT_EQ(all["strokes"][i]["kind"], toString(s.kind));
    }
    EXPECT_DOUBLE_EQ(all["grid"]["bpm"].get<double>(), measured().timing.bpm);
    for (std::size_t i = 0; i < measured().levels.size(); ++i) {
        const SignalLevels& l = measured().levels[i];
        EXPECT_DOUBLE_EQ(all["levels"][i]["loudness_lufs"].get<double>(), l.integrated);
        EXPECT_EQ(all["levels"][i].contains("correlation"), !l.width.empty());
    }
    // Not sure is an answer, not a number.
    for (const Json& p : all["phase"]) {
        const bool sure = p["polarity"] == 1 || p["polarity"] == -1;
        EXPECT_TRUE(sure || p["polarity"] == "not sure");
    }
}

TEST(MeasureJson, StrokesAsCsvAreOneALine) {
    const std::string csv = strokesCsv(test::shortSession(), measured().strokes);
    EXPECT_EQ(static_cast<std::size_t>(std::count(csv.begin(), csv.end(), '\n')),
              measured().strokes.strokes.size() + 1);
    for (std::size_t from = 0, line = 0; from < csv.size(); ++line) {
        const std::size_t end = csv.find('\n', from);
        EXPECT_EQ(std::count(csv.begin() + static_cast<std::ptrdiff_t>(from),
                             csv.begin() + static_cast<std::ptrdiff_t>(end), ','),
                  7)
            << "line " << line;
        from = end + 1;
    }
}

TEST(ProposalsJson, CarryTheirReasonMovesAndEffects) {
    const auto proposals = advise(test::shortSession(), measured());
    ASSERT_FALSE(proposals.empty());
    const Json all = Json::parse(proposalsJson(proposals, {proposals.front().id}))["proposals"];
    ASSERT_EQ(all.size(), proposals.size());
    for (std::size_t i = 0; i < proposals.size(); ++i) {
        const Proposal& p = proposals[i];
        EXPECT_EQ(all[i]["id"], p.id);
        EXPECT_EQ(all[i]["accepted"], i == 0);
        EXPECT_FALSE(all[i]["reason"].get<std::string>().empty());
        EXPECT_FALSE(all[i]["school"].get<std::string>().empty()) << p.id;
        ASSERT_EQ(all[i]["moves"].size(), p.moves.size());
        for (std::size_t k = 0; k < p.moves.size(); ++k)
            EXPECT_EQ(all[i]["moves"][k]["parameter"], p.stage + "." + p.moves[k].parameter);
        for (std::size_t k = 0; k < p.effects.size(); ++k) {
            EXPECT_EQ(all[i]["effects"][k].contains("predicted"),
                      p.effects[k].predicted.has_value());
            EXPECT_FALSE(all[i]["effects"][k].contains("measured")) << "nothing was measured yet";
        }
    }
}

}  // namespace
}  // namespace ember
