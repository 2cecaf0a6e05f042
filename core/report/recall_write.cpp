// The recall sheet as a page, as Markdown and as a table.

#include "core/base/number.h"
#include "core/report/recall.h"

#include <fmt/format.h>

#include <cmath>

namespace ember {
namespace {

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            default:
                out += c;
        }
    }
    return out;
}

std::string joined(const std::vector<std::string>& parts, const std::string& between) {
    std::string out;
    for (const std::string& part : parts) out += (out.empty() ? "" : between) + part;
    return out;
}

// "−18.2 LUFS → −16.0 LUFS, strokes’ crest 14.1 → 15.0 dB, attack against body 3.0 → 4.2 dB".
std::string figuresText(const RecallRow& row) {
    if (!row.before || !row.after) return {};
    const auto pair = [](double before, double after) {
        return numberText(before, 1) + " → " + numberText(after, 1);
    };
    const RowFigures &a = *row.before, &b = *row.after;
    if (a.levels.integrated <= kSilenceDb || b.levels.integrated <= kSilenceDb) return {};
    std::string text = pair(a.levels.integrated, b.levels.integrated) + " LUFS";
    if (a.punch != Punch{} && b.punch != Punch{})
        text += ", crest of the strokes " + pair(a.punch.crestDb, b.punch.crestDb) +
                " dB, attack against body " +
                pair(a.punch.transientToBodyDb, b.punch.transientToBodyDb) + " dB";
    return text;
}

// Steps that are off, by name.
std::string offSteps(const RecallRow& row) {
    std::vector<std::string> off;
    for (const RecallStep& step : row.steps) {
        if (!step.on) off.push_back(step.label);
    }
    return joined(off, ", ");
}

std::string axisText(const RecallCurve& curve) {
    return curve.kind == RecallCurve::Kind::response
               ? fmt::format("20 Hz to 20 kHz, ±{:.0f} dB", curve.toY)
               : std::string("−60 to 0 dB in and out");
}

std::string svg(const RecallCurve& curve) {
    constexpr double kWide = 300.0, kHigh = 110.0;
    const auto across = [&](double x) {
        const bool logs = curve.kind == RecallCurve::Kind::response;
        const auto on = [&](double v) { return logs ? std::log(v) : v; };
        return kWide * (on(x) - on(curve.fromX)) / (on(curve.toX) - on(curve.fromX));
    };
    const auto down = [&](double y) {
        return kHigh * (1.0 - (y - curve.fromY) / (curve.toY - curve.fromY));
    };
    std::string out = fmt::format(
        "<svg viewBox=\"0 0 {0} {1}\" width=\"{0}\" height=\"{1}\" role=\"img\" "
        "aria-label=\"{2}\"><title>{2}</title><rect width=\"{0}\" height=\"{1}\" "
        "class=\"ground\"/>",
        kWide, kHigh, axisText(curve));
    const auto line = [&](double x1, double y1, double x2, double y2) {
        out += fmt::format(
            "<line x1=\"{:.1f}\" y1=\"{:.1f}\" x2=\"{:.1f}\" y2=\"{:.1f}\" class=\"grid\"/>", x1,
            y1, x2, y2);
    };
    if (curve.kind == RecallCurve::Kind::response) {
        for (const double hertz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0})
            line(across(hertz), 0.0, across(hertz), kHigh);
        for (double db = curve.fromY + 6.0; db < curve.toY; db += 6.0)
            line(0.0, down(db), kWide, down(db));
    } else {
        for (double db = -50.0; db < 0.0; db += 10.0) {
            line(across(db), 0.0, across(db), kHigh);
            line(0.0, down(db), kWide, down(db));
        }
        line(0.0, kHigh, kWide, 0.0);
    }
    out += "<polyline class=\"curve\" points=\"";
    for (const auto& [x, y] : curve.points)
        out += fmt::format("{:.1f},{:.1f} ", across(x), down(y));
    return out + "\"/></svg>";
}

// Of a page on a screen; paper has its own ground and margins.
constexpr const char* kScreen = R"(
body { background: #FBF7F0; margin: 32px; max-width: 900px; }
)";
constexpr const char* kStyle = R"(
body { font-family: Inter, sans-serif; font-size: 13px; color: #2B241D; }
h1 { font-size: 24px; } h2 { font-size: 17px; margin-top: 28px; } h3 { font-size: 13px; margin: 14px 0 4px 0; }
p { margin: 3px 0; } .quiet { color: #6B5F52; } .why { color: #2F6B60; }
table { border-collapse: collapse; } td, th { text-align: left; vertical-align: top; padding: 2px 18px 2px 0; }
td.value { font-variant-numeric: tabular-nums; }
svg { margin: 6px 0; } .ground { fill: #FFFFFF; stroke: #D8CCBC; } .grid { stroke: #E9E0D3; } .curve { fill: none; stroke: #C2501E; stroke-width: 2; }
section { border-top: 1px solid #D8CCBC; }
@media print { body { margin: 0; background: #FFFFFF; } section { break-inside: avoid-page; } }
)";

std::string valuesTable(const RecallStep& step) {
    std::string out = "<table>";
    // Two settings beside each other; a band of an equaliser takes the line.
    const std::size_t across = step.type == "eq" ? 1 : 2;
    for (std::size_t i = 0; i < step.told.size(); i += across) {
        out += "<tr>";
        for (std::size_t k = i; k < std::min(i + across, step.told.size()); ++k)
            out += "<td class=\"quiet\">" + escaped(step.told[k].first) +
                   "</td><td class=\"value\">" + escaped(step.told[k].second) + "</td>";
        out += "</tr>\n";
    }
    return out + "</table>\n";
}

std::string linesTable(const std::vector<RecallLine>& lines, bool why) {
    std::string out = std::string("<table><tr><th>When (UTC)</th><th>What</th>") +
                      (why ? "<th>Why</th>" : "") + "</tr>\n";
    std::string above;
    for (const RecallLine& line : lines) {
        out += "<tr><td class=\"quiet\">" + line.when + "</td><td>" + escaped(line.what) + "</td>";
        // Once for all that one proposal did.
        if (why)
            out += "<td class=\"why\">" + (line.why == above ? "" : escaped(line.why)) + "</td>";
        above = line.why;
        out += "</tr>\n";
    }
    return out + "</table>\n";
}

// What stands in a cell of a Markdown table.
std::string cell(std::string text) {
    for (std::size_t at = 0; (at = text.find_first_of("|\n", at)) != std::string::npos; at += 2)
        text.replace(at, 1, text[at] == '|' ? "\\|" : "  ");
    return text;
}

std::string field(const std::string& text) {
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

std::string headOf(const RecallRow& row) {
    std::string text = row.what;
    if (!row.files.empty()) text += ", " + joined(row.files, ", ");
    if (!row.feeds.empty()) text += " → " + row.feeds;
    return text;
}

}  // namespace

std::string recallHtml(const RecallSheet& sheet, RecallPictures pictures) {
    std::string out = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                      escaped(sheet.name) + " – recall sheet</title><style>" +
                      (pictures == RecallPictures::drawn ? kScreen : "") + kStyle +
                      "</style></head>\n<body>\n<h1>" + escaped(sheet.name) + "</h1>\n<table>";
    for (const auto& [label, value] : sheet.facts)
        out += "<tr><td class=\"quiet\">" + escaped(label) + "</td><td class=\"value\">" +
               escaped(value) + "</td></tr>\n";
    out += "</table>\n";
    int picture = 0;
    for (const RecallRow& row : sheet.rows) {
        out += "<section>\n<h2>" + escaped(row.name) + "</h2>\n<p class=\"quiet\">" +
               escaped(headOf(row)) + "</p>\n";
        for (const std::string& line : row.routing) out += "<p>" + escaped(line) + "</p>\n";
        if (const std::string figures = figuresText(row); !figures.empty())
            out += "<p>As recorded → now: " + escaped(figures) + "</p>\n";
        int place = 0;
        for (const RecallStep& step : row.steps) {
            if (!step.on) continue;
            out += fmt::format("<h3>{}. {}</h3>\n", ++place, escaped(step.label));
            if (!step.key.empty()) out += "<p>Keyed by " + escaped(step.key) + "</p>\n";
            if (step.curve) {
                ++picture;
                out += pictures == RecallPictures::drawn
                           ? svg(*step.curve) + "\n"
                           : fmt::format("<p><img src=\"curve-{}\"></p>\n", picture);
                out += "<p class=\"quiet\">" + axisText(*step.curve) + "</p>\n";
            }
            out += valuesTable(step);
            for (const std::string& reason : step.reasons)
                out += "<p class=\"why\">" + escaped(reason) + "</p>\n";
        }
        if (const std::string off = offSteps(row); !off.empty())
            out += "<p class=\"quiet\">Off: " + escaped(off) + "</p>\n";
        out += "</section>\n";
    }
    if (!sheet.decisions.empty())
        out += "<section>\n<h2>Decisions with their reasons</h2>\n" +
               linesTable(sheet.decisions, true) + "</section>\n";
    if (!sheet.notes.empty())
        out += "<section>\n<h2>Notes</h2>\n" + linesTable(sheet.notes, false) + "</section>\n";
    return out + "</body></html>\n";
}

std::string recallMarkdown(const RecallSheet& sheet) {
    std::string out = "# " + sheet.name + "\n\n";
    for (const auto& [label, value] : sheet.facts) out += fmt::format("- {}: {}\n", label, value);
    for (const RecallRow& row : sheet.rows) {
        out += "\n## " + row.name + "\n\n" + headOf(row) + "\n";
        for (const std::string& line : row.routing) out += "\n- " + line;
        if (!row.routing.empty()) out += "\n";
        if (const std::string figures = figuresText(row); !figures.empty())
            out += "\nAs recorded → now: " + figures + "\n";
        int place = 0;
        for (const RecallStep& step : row.steps) {
            if (!step.on) continue;
            out += fmt::format("\n### {}. {}\n\n", ++place, step.label);
            if (!step.key.empty()) out += "Keyed by " + step.key + "\n\n";
            out += "| setting | value |\n|---|---|\n";
            for (const auto& [label, value] : step.told)
                out += "| " + cell(label) + " | " + cell(value) + " |\n";
            for (const std::string& reason : step.reasons) out += "\n> " + reason + "\n";
        }
        if (const std::string off = offSteps(row); !off.empty()) out += "\nOff: " + off + "\n";
    }
    const auto table = [&](const char* title, const std::vector<RecallLine>& lines) {
        if (lines.empty()) return;
        out += std::string("\n## ") + title + "\n\n| when (UTC) | what | why |\n|---|---|---|\n";
        for (const RecallLine& line : lines)
            out += "| " + line.when + " | " + cell(line.what) + " | " + cell(line.why) + " |\n";
    };
    table("Decisions with their reasons", sheet.decisions);
    table("Notes", sheet.notes);
    return out;
}

std::string recallCsv(const RecallSheet& sheet) {
    std::string out = "row,name,step,type,on,parameter,label,value,text\r\n";
    for (const RecallRow& row : sheet.rows) {
        for (const RecallStep& step : row.steps) {
            for (const RecallValue& value : step.values) {
                std::string line;
                for (const std::string& text :
                     {row.id, row.name, step.id, step.type, std::string(step.on ? "1" : "0"),
                      value.id, value.label, value.plain, value.value})
                    line += (line.empty() ? "" : ",") + field(text);
                out += line + "\r\n";
            }
        }
    }
    return out;
}

}  // namespace ember
