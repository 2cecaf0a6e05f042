// The recall sheet: everything in it, in every form, and nothing that a form cannot hold.

#include "core/report/recall.h"

#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <algorithm>
#include <sstream>

namespace ember {
namespace {

Document worked() {
    Document d(test::shortSession());
    Session s = withValue(d.session(), "snare-top", "gate", "threshold", -33.5);
    s = withValue(std::move(s), "snare-top", "eq", "b3.on", 1.0);
    s = withValue(std::move(s), "snare-top", "eq", "b3.frequency", 571.0);
    s = withValue(std::move(s), "snare-top", "eq", "b3.gain", -6.0);
    s = withWord(std::move(s), "snare-top", "eq", "b3.name", "ring");
    s = withWord(std::move(s), "snare-top", "eq", "b3.why", "It rings for half a second.");
    s = withValue(std::move(s), "drum-bus", "compressor", "threshold", -24.0);
    s = withKey(std::move(s), "hat", "gate", "snare-top");
    s = withValue(std::move(s), "hat", "gate", "threshold", -40.0);
    s = withName(std::move(s), "ride", "Ride <\"2\" & more>, \"dark\"");
    d.edit(std::move(s), {}, {{"snare-top", "gate", "It keeps 98 % of the ghost notes."}});
    d.addNote("the second chorus drags");
    return d;
}

const RecallRow& rowOf(const RecallSheet& sheet, const std::string& id) {
    return *std::find_if(sheet.rows.begin(), sheet.rows.end(),
                         [&](const RecallRow& r) { return r.id == id; });
}

const RecallStep& stepOf(const RecallRow& row, const std::string& id) {
    return *std::find_if(row.steps.begin(), row.steps.end(),
                         [&](const RecallStep& s) { return s.id == id; });
}

TEST(Recall, HoldsEverySettingWithItsReason) {
    const RecallSheet sheet = recallSheet(worked());
    EXPECT_EQ(std::count_if(sheet.rows.begin(), sheet.rows.end(),
                            [](const RecallRow& r) { return r.id == "main"; }),
              1);
    const RecallStep& gate = stepOf(rowOf(sheet, "snare-top"), "gate");
    EXPECT_TRUE(gate.on);
    EXPECT_EQ(gate.values.size(), processorType("gate").table.size());
    EXPECT_EQ(gate.values.front().value, "−33.5 dB");
    EXPECT_EQ(gate.values.front().plain, "-33.500");
    ASSERT_EQ(gate.reasons.size(), 1U);
    EXPECT_EQ(gate.reasons.front(), "It keeps 98 % of the ghost notes.");
    const RecallStep& eq = stepOf(rowOf(sheet, "snare-top"), "eq");
    ASSERT_TRUE(eq.curve.has_value());
    const auto lowest =
        std::min_element(eq.curve->points.begin(), eq.curve->points.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    EXPECT_NEAR(lowest->second, -6.0, 0.1);
    EXPECT_NEAR(lowest->first, 571.0, 25.0);
    EXPECT_TRUE(std::any_of(eq.values.begin(), eq.values.end(), [](const RecallValue& v) {
        return v.label == "ring Frequency" || v.label == "ring frequency";
    })) << eq.values[2].label;
    EXPECT_EQ(eq.told.front().first, "ring");
    EXPECT_TRUE(eq.told.front().second.starts_with("bell at 571 Hz, −6.0 dB, Q "))
        << eq.told.front().second;
    EXPECT_EQ(eq.reasons.front(), "ring: It rings for half a second.");
    EXPECT_EQ(stepOf(rowOf(sheet, "hat"), "gate").key, "Snare Top");
    const RecallStep& press = stepOf(rowOf(sheet, "drum-bus"), "compressor");
    ASSERT_TRUE(press.curve.has_value());
    EXPECT_EQ(press.curve->kind, RecallCurve::Kind::transfer);
    EXPECT_NEAR(press.curve->points.front().second, -60.0, 1e-6) << "nothing happens far below";
    EXPECT_LT(press.curve->points.back().second, -5.0);
    ASSERT_EQ(sheet.notes.size(), 1U);
    EXPECT_EQ(sheet.notes.front().what, "the second chorus drags");
    EXPECT_FALSE(sheet.decisions.empty());
    for (const RecallRow& row : sheet.rows)
        EXPECT_NE(findRow(worked().session(), row.id)->kind, RowKind::reference);
}

TEST(Recall, APageNeedsNothingBesideItAndTakesAnyName) {
    const std::string page = recallHtml(recallSheet(worked()));
    EXPECT_TRUE(page.starts_with("<!DOCTYPE html>"));
    EXPECT_NE(page.find("Ride &lt;&quot;2&quot; &amp; more&gt;"), std::string::npos);
    EXPECT_EQ(page.find("Ride <"), std::string::npos);
    EXPECT_NE(page.find("<svg"), std::string::npos);
    for (const char* beside : {"http:", "https:", "src=", "href=", "@import", "url("})
        EXPECT_EQ(page.find(beside), std::string::npos) << beside;
    // What is opened is closed.
    for (const char* tag : {"section", "table", "svg", "h2"}) {
        std::size_t opened = 0, closed = 0;
        for (auto at = page.find(std::string("<") + tag); at != std::string::npos;
             at = page.find(std::string("<") + tag, at + 1))
            ++opened;
        for (auto at = page.find(std::string("</") + tag); at != std::string::npos;
             at = page.find(std::string("</") + tag, at + 1))
            ++closed;
        EXPECT_EQ(opened, closed) << tag;
    }
    const std::string named = recallHtml(recallSheet(worked()), RecallPictures::named);
    EXPECT_NE(named.find("src=\"curve-1\""), std::string::npos);
    EXPECT_NE(named.find("src=\"curve-2\""), std::string::npos);
    EXPECT_EQ(named.find("<svg"), std::string::npos);
}

// Fields of a line after RFC 4180.
std::vector<std::string> fieldsOf(const std::string& line) {
    std::vector<std::string> fields(1);
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        if (line[i] == '"' && quoted && i + 1 < line.size() && line[i + 1] == '"')
            fields.back() += line[i++];
        else if (line[i] == '"')
            quoted = !quoted;
        else if (line[i] == ',' && !quoted)
            fields.emplace_back();
        else
            fields.back() += line[i];
    }
    return fields;
}

TEST(Recall, ATableHoldsEveryValueOfEveryStep) {
    const Document d = worked();
    std::istringstream table(recallCsv(recallSheet(d)));
    std::string line;
    ASSERT_TRUE(std::getline(table, line));
    EXPECT_EQ(fieldsOf(line.substr(0, line.size() - 1)).size(), 9U);
    std::size_t read = 0;
    while (std::getline(table, line)) {
        ASSERT_TRUE(line.ends_with('\r'));
        const std::vector<std::string> f = fieldsOf(line.substr(0, line.size() - 1));
        ASSERT_EQ(f.size(), 9U) << line;
        const Row* row = findRow(d.session(), f[0]);
        ASSERT_NE(row, nullptr) << f[0];
        EXPECT_EQ(f[1], row->name);
        const Stage* stage = findStage(*row, f[2]);
        ASSERT_NE(stage, nullptr);
        const int index = parameterIndex(processorType(stage->type).table, f[5]);
        ASSERT_GE(index, 0) << f[5];
        EXPECT_NEAR(std::stod(f[7]), stage->values[static_cast<std::size_t>(index)], 6e-4);
        ++read;
    }
    EXPECT_GT(read, 200U);
}

TEST(Recall, MarkdownKeepsItsTablesWhole) {
    Document d = worked();
    d.addNote("left | right\nand below");
    std::istringstream text(recallMarkdown(recallSheet(d)));
    std::string line;
    int settings = 0;
    while (std::getline(text, line)) {
        if (!line.starts_with("| ")) continue;
        std::size_t bars = 0;
        for (std::size_t i = 0; i < line.size(); ++i)
            bars += line[i] == '|' && (i == 0 || line[i - 1] != '\\') ? 1 : 0;
        EXPECT_TRUE(bars == 3 || bars == 4) << line;
        settings += bars == 3 ? 1 : 0;
    }
    EXPECT_GT(settings, 30);
}

TEST(Recall, TellsWhatItWasAndWhatItIs) {
    const Document d = worked();
    const RecallFigures figures =
        recallFigures(d.session(), test::sharedStore(), d.session().strokes.get());
    const RecallSheet sheet = recallSheet(d, figures);
    const RecallRow& snare = rowOf(sheet, "snare-top");
    ASSERT_TRUE(snare.before && snare.after);
    EXPECT_NE(snare.before->levels.integrated, snare.after->levels.integrated)
        << "a gate and a cut change it";
    EXPECT_NE(recallHtml(sheet).find("As recorded → now"), std::string::npos);
    EXPECT_TRUE(std::any_of(sheet.facts.begin(), sheet.facts.end(),
                            [](const auto& fact) { return fact.first == "True peak"; }));
}

}  // namespace
}  // namespace ember
