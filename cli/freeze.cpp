#include "cli/freeze.h"

#include "cli/edit.h"
#include "cli/separate.h"
#include "cli/set.h"
#include "core/base/number.h"
#include "core/engine/print_row.h"
#include "core/report/row_costs.h"
#include "core/session/file.h"
#include "core/session/printed.h"
#include "core/session/recipe.h"

#include <ctime>
#include <map>

namespace ember::cli {

FreezeCommand::FreezeCommand(CLI::App& app)
    : freeze_(app.add_subcommand(
          "freeze",
          "rows made into audio that they play in place of their chains; none: which are")) {
    freeze_->add_option("session", session_)->required();
    freeze_->add_option("rows", rows_, "rows or buses to print");
    freeze_->add_flag("--live", live_, "these play live again");
    freeze_->add_flag("--costs", costs_, "what every row takes of one core, measured here");
    freeze_->add_flag("--tidy", tidy_, "delete prints that no step needs any more");
    print_ = app.add_subcommand(
        "print", "a row printed to one of its own, in its place; of a printed row: anew");
    print_->add_option("session", session_)->required();
    print_->add_option("row", row_)->required();
    print_->add_option("--semitones", semitones_, "by which it is shifted")
        ->check(CLI::Range(kLowestShift, kHighestShift));
}

void FreezeCommand::run(bool json) {
    const Output out{json};
    if (*print_) print(out);
    if (*freeze_ && tidy_) return tidy(out);
    if (*freeze_) rows_.empty() ? list(out) : freeze(out);
}

void FreezeCommand::tidy(const Output& out) {
    const Document document = loadDocument(session_);
    Json list = Json::array();
    for (const std::filesystem::path& file :
         oldPrints(Document(withAbsolutePaths(document.session(), session_)), session_)) {
        if (!std::filesystem::remove(file)) continue;
        list.push_back(file.string());
        out.say(file.string() + " deleted");
    }
    if (list.empty()) out.say("Every print is still needed.");
    out.machine({{"deleted", list}});
}

void FreezeCommand::print(const Output& out) {
    changeSession(out, session_, [this](Session session) {
        AudioStore store;
        const Row& row = rowByIdOrName(session, row_);
        const std::string id = row.id;
        const bool again = row.printed.has_value();
        const PrintedOf of = again ? *row.printed : PrintedOf{id, {}, semitones_, 0};
        const Print made =
            printRow(withStrokesHeard(withAbsolutePaths(session, session_), session_), store,
                     of.row, printFolder(session_), std::time(nullptr), {}, of.semitones);
        const PrintedOf printed{of.row, made.recipe, of.semitones, made.time};
        return again ? withPrintedAnew(std::move(session), id, made.audio, printed)
                     : withPrintedRow(std::move(session), made.audio, printed).session;
    });
}

void FreezeCommand::freeze(const Output& out) {
    changeSession(out, session_, [this](Session session) {
        AudioStore store;
        for (const std::string& text : rows_) {
            const std::string id = rowByIdOrName(session, text).id;
            if (live_) {
                session = withoutPrint(std::move(session), id);
                continue;
            }
            const Session whole = withStrokesHeard(withAbsolutePaths(session, session_), session_);
            session =
                withPrint(std::move(session), id,
                          printRow(whole, store, id, printFolder(session_), std::time(nullptr)));
        }
        return session;
    });
}

void FreezeCommand::list(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    std::map<std::string, double> shares;
    if (costs_) {
        AudioStore store;
        for (const RowCost& cost : rowCosts(session, store)) shares[cost.row] = cost.share;
    }
    Json rows = Json::array();
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) continue;
        const bool plays = playsPrint(session, row);
        Json line{{"row", row.id}, {"frozen", row.frozen.has_value()}, {"plays_print", plays}};
        std::string text =
            row.name + ": " +
            (plays                     ? "frozen"
             : !row.frozen             ? "live"
             : printFits(session, row) ? "live while a part of it is soloed"
                                       : "live, because it was changed since it was printed");
        if (row.frozen) line["file"] = row.frozen->audio.front().file;
        if (const auto share = shares.find(row.id); share != shares.end()) {
            line["share"] = share->second;
            text += ", " + numberText(100.0 * share->second, 1) + " % of a core live";
        }
        rows.push_back(std::move(line));
        out.say(text);
    }
    out.machine({{"rows", rows}});
}

}  // namespace ember::cli
