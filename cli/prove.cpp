#include "cli/prove.h"

#include "cli/edit.h"
#include "cli/separate.h"
#include "cli/set.h"
#include "core/advise/mic_set.h"
#include "core/advise/mix_from.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/dsp/seat.h"
#include "core/engine/print_row.h"
#include "core/measure/kit/kit_measure.h"
#include "core/report/drive_test.h"
#include "core/report/mix_clip.h"
#include "core/report/mix_figures.h"
#include "core/report/recall.h"
#include "core/report/shortest_chain.h"
#include "core/session/file.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"
#include "print/recall_pdf.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <functional>

namespace ember::cli {
namespace {

namespace fs = std::filesystem;

constexpr const char* kNow = "now";

// A snapshot as a session, or the session as it is.
// `measured` is asked for where it is needed.
Session mixOf(const Session& session, const std::string& which,
              const std::function<KitMeasurement()>& measured) {
    if (which.starts_with("set:")) return withMicSet(session, which.substr(4));
    if (which.starts_with("width:"))
        return withWidth(session,
                         parseValue(processorType("seat").table[Seat::width], which.substr(6)));
    if (which.starts_with("anew:")) {
        const KitMeasurement kit = measured();
        return withMicSet(session, which.substr(5), &kit);
    }
    return which == kNow ? session : withSnapshotUsed(session, which);
}

Json figuresJson(const std::optional<RowFigures>& figures) {
    if (!figures) return nullptr;
    Json spectrum = Json::array();
    const Spectrum& s = figures->levels.spectrum;
    for (std::size_t i = 0; i < s.frequency.size(); ++i)
        spectrum.push_back({{"hertz", s.frequency[i]}, {"level_db", s.level[i]}});
    return {{"loudness_lufs", figures->levels.integrated},
            {"crest_db", figures->levels.crestDb},
            {"stroke_crest_db", figures->punch.crestDb},
            {"transient_to_body_db", figures->punch.transientToBodyDb},
            {"correlation", figures->levels.correlation},
            {"mono_loss_db", figures->levels.monoLossDb},
            {"spectrum", std::move(spectrum)}};
}

std::string rowText(const ComparedRow& row) {
    if (!row.a || !row.b) return row.name + ": only in " + (row.a ? "the first" : "the second");
    const auto pair = [](double a, double b) {
        return numberText(a, 1) + " → " + numberText(b, 1);
    };
    return row.name + ": " + pair(row.a->levels.integrated, row.b->levels.integrated) +
           " LUFS, attack against body " +
           pair(row.a->punch.transientToBodyDb, row.b->punch.transientToBodyDb) + " dB";
}

}  // namespace

ProveCommands::ProveCommands(CLI::App& app) {
    auto* snapshot = app.add_subcommand("snapshot", "the mix as it stands, kept under a name");
    snapshot->require_subcommand(1);
    const auto with = [&](const char* name, const char* what) {
        auto* command = snapshot->add_subcommand(name, what);
        command->add_option("session", session_)->required();
        return command;
    };
    const auto which = [&](CLI::App* command) {
        command->add_option("snapshot", which_, "its name or id")->required();
        return command;
    };
    take_ = with("take", "keep the present mix");
    take_->add_option("name", which_, "what it is called");
    take_->add_option("--note", text_, "what it is for");
    take_->add_option("--clip", clip_, "keeps eight seconds of it as audio, from this second on")
        ->check(CLI::Range(0.0, 86400.0));
    list_ = with("list", "what there is");
    use_ = which(with("use", "go back to one"));
    name_ = which(with("name", "call one otherwise"));
    name_->add_option("name", text_)->required();
    judge_ = which(with("judge", "write down what was found of one"));
    judge_->add_option("verdict", verdict_, "open, better, worse or same")->required();
    judge_->add_option("--note", text_, "what was found");
    drop_ = which(with("drop", "forget one"));
    bring_ = with("bring", "another session's mix on the rows of this one, kept as a snapshot");
    bring_->add_option("other", other_, "the other session")->required();
    bring_->add_option("--snapshot", which_, "one of its snapshots; else its mix as it stands");
    bring_->add_option("--name", text_, "what it is called here");

    compare_ = app.add_subcommand("compare", "two mixes beside each other, in figures");
    compare_->add_option("session", session_)->required();
    compare_
        ->add_option("a", a_,
                     "a snapshot, now, a set of microphones (set:four, set:no-rooms, set:close, "
                     "set:whole, set:up-to-BUS; anew: in place of set: plans its rows anew), or "
                     "every stereo row at one width (width:50)")
        ->required();
    compare_->add_option("b", b_, "the same; now when not given");
    compare_->add_option("--from", from_, "seconds")->check(CLI::Range(0.0, 1e6));
    compare_->add_option("--to", to_, "seconds; a minute at most is compared")
        ->check(CLI::Range(0.0, 1e6));

    note_ = app.add_subcommand("note", "write a line of one's own into the logbook");
    note_->add_option("session", session_)->required();
    note_->add_option("text", text_)->required();
    note_->add_option("--element", row_, "what it is about");
    note_->add_option("--processor", stage_, "of that element");
    note_->add_option("--at", from_, "seconds of song time")->check(CLI::Range(0.0, 1e6));

    drive_ = app.add_subcommand("drive", "push the mix in steps and say what breaks first");
    drive_->add_option("session", session_)->required();
    drive_->add_option("--from", from_, "seconds; half a minute at most is pushed")
        ->check(CLI::Range(0.0, 1e6));
    drive_->add_flag("--lower", doing_, "lowers what breaks first by what it is too loud");

    shorten_ = app.add_subcommand("shorten", "which steps could go without anybody hearing it");
    shorten_->add_option("session", session_)->required();
    shorten_->add_option("--from", from_, "seconds")->check(CLI::Range(0.0, 1e6));
    shorten_->add_option("--to", to_, "seconds; a minute at most is heard")
        ->check(CLI::Range(0.0, 1e6));
    shorten_->add_flag("--off", doing_, "switches off all that could go together");

    report_ = app.add_subcommand("report", "write the recall sheet");
    report_->add_option("session", session_)->required();
    report_->add_option("--out", file_, "file with the ending .html, .pdf, .csv or .md")
        ->required();
    report_->add_flag("--settings-alone", settingsAlone_,
                      "without figures before and after, which take a render");
}

void ProveCommands::run(bool json) {
    const Output out{json};
    if (*take_ || *use_ || *name_ || *judge_ || *drop_ || *bring_) snapshot(out);
    if (*list_) list(out);
    if (*compare_) compare(out);
    if (*note_) note(out);
    if (*drive_) drive(out);
    if (*shorten_) shorten(out);
    if (*report_) report(out);
}

Session ProveCommands::taken(Session session) const {
    constexpr double kClip = 8.0;  // seconds
    session = withSnapshotTaken(std::move(session), which_, text_, std::time(nullptr));
    if (!clip_) return session;
    const std::string id = session.snapshots.back().id;
    AudioStore store;
    MixClip clip = makeClip(withStrokesHeard(withAbsolutePaths(session, session_), session_), store,
                            id, *clip_, *clip_ + kClip, printFolder(session_));
    return withSnapshotClip(std::move(session), id, std::move(clip));
}

void ProveCommands::snapshot(const Output& out) {
    changeSession(out, session_, [&](Session s) {
        if (*take_) return taken(std::move(s));
        if (*bring_)
            return withSnapshotFrom(s, openSession(other_), which_, text_, std::time(nullptr));
        if (*use_) return withSnapshotUsed(s, which_);
        if (*name_) return withSnapshotNamed(std::move(s), which_, text_);
        if (*judge_)
            return withSnapshotJudged(
                s, which_, verdictFrom(verdict_),
                judge_->count("--note") > 0 ? text_ : requireSnapshot(s, which_).note);
        return withSnapshotDropped(std::move(s), which_);
    });
}

void ProveCommands::list(const Output& out) {
    const Session session = loadDocument(session_).session();
    Json all = Json::array();
    for (const Snapshot& s : session.snapshots) {
        all.push_back({{"id", s.id},
                       {"name", s.name},
                       {"time", s.time},
                       {"verdict", toString(s.verdict)},
                       {"note", s.note},
                       {"clip", s.clip ? s.clip->audio.front().file : ""}});
        out.say(s.name + " (" + s.id + "): " + std::string(verdictLabel(s.verdict)) +
                (s.note.empty() ? "" : ", " + s.note));
    }
    if (session.snapshots.empty()) out.say("No snapshot was taken yet.");
    out.machine(all);
}

void ProveCommands::compare(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const double to = to_ < 0.0 ? from_ + kLongestCompared : to_;
    const auto measured = [&] { return measureKit(session, store); };
    const MixComparison c =
        compareMixes(mixOf(session, a_, measured), mixOf(session, b_, measured), store,
                     measureSessionStrokes(session, store).strokes, from_, to);
    Json rows = Json::array();
    for (const ComparedRow& row : c.rows) {
        rows.push_back({{"row", row.row},
                        {"name", row.name},
                        {"a", figuresJson(row.a)},
                        {"b", figuresJson(row.b)}});
        out.say(rowText(row));
    }
    for (const std::string& sentence : c.settings) out.say(sentence);
    out.say("The second is as loud as the first at " + changeText(c.gainDb, 1) +
            " dB; the difference is then at " + numberText(c.differenceDb, 1) + " dB.");
    out.machine({{"from", c.from},
                 {"to", c.to},
                 {"gain_db", c.gainDb},
                 {"difference_db", c.differenceDb},
                 {"settings", c.settings},
                 {"rows", rows}});
}

void ProveCommands::note(const Output& out) {
    Document document = loadDocument(session_);
    const Session& s = document.session();
    std::string row;
    if (!row_.empty()) row = rowByIdOrName(s, row_).id;
    if (!stage_.empty()) {
        if (row.empty()) throw Error("Name the element too: --element.");
        Session copy = s;
        requireStage(requireRow(copy, row), stage_);
    }
    document.addNote(text_, row, stage_,
                     note_->count("--at") > 0 ? std::optional(from_) : std::nullopt);
    saveDocument(session_, document);
    out.machine({{"note", document.log().back().what.text}});
    out.say("Noted: " + document.log().back().what.text);
}

void ProveCommands::drive(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const DriveTest test = driveTest(session, store, from_, from_ + kLongestDriven);
    if (doing_) {
        const std::vector<std::string> said{driveOfferText(session, test)};
        return changeSession(
            out, session_, [&](Session s) { return withDriveOffer(std::move(s), test); }, &said,
            said.front());
    }
    Json steps = Json::array();
    for (const DriveStep& step : test.steps) {
        Json shares = Json::object(), fronts = Json::object();
        for (std::size_t r = 0; r < test.rows.size(); ++r) shares[test.rows[r]] = step.shares[r];
        for (std::size_t d = 0; d < test.drums.size(); ++d)
            fronts[test.drums[d]] = step.frontsDb[d];
        steps.push_back({{"drive_db", step.driveDb},
                         {"over_db", step.overDb},
                         {"shares", std::move(shares)},
                         {"fronts_lose_db", std::move(fronts)}});
    }
    for (const std::string& sentence : test.sentences) out.say(sentence);
    const auto orNone = [](const std::optional<double>& value) {
        return value ? Json(*value) : Json();
    };
    Json offer;
    if (test.offer)
        offer = {{"row", test.first},
                 {"lower_db", test.offer->lowerDb},
                 {"breaks_db", orNone(test.offer->breaksDb)},
                 {"first", test.offer->first}};
    out.machine({{"first", test.first},
                 {"breaks_db", orNone(test.breaksDb)},
                 {"too_loud_db", test.tooLoudDb},
                 {"gives_way", test.givesWay},
                 {"gives_way_db", orNone(test.givesWayDb)},
                 {"offer", std::move(offer)},
                 {"steps", std::move(steps)},
                 {"sentences", test.sentences}});
}

void ProveCommands::shorten(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const std::vector<StepWorth> worths = stepWorths(session, store, from_, to_);
    const ShortestChain shortest = shortestChain(session, store, worths, from_, to_);
    const std::string together = shortestText(session, shortest);
    if (doing_) {
        const std::vector<std::string> said{together};
        return changeSession(
            out, session_, [&](Session s) { return withStepsOff(std::move(s), shortest.steps()); },
            &said, together);
    }
    Json steps = Json::array();
    for (const StepWorth& worth : worths) {
        const bool goes =
            std::any_of(shortest.go.begin(), shortest.go.end(), [&](const StepWorth& other) {
                return other.row == worth.row && other.stage == worth.stage;
            });
        steps.push_back({{"row", worth.row},
                         {"processor", worth.stage},
                         {"row_difference_db", worth.rowDb},
                         {"mix_difference_db", worth.mixDb},
                         {"could_go", worth.couldGo()},
                         {"goes_with_the_others", goes}});
        out.say(worthText(session, worth));
    }
    out.say(together);
    out.machine(steps);
}

void ProveCommands::report(const Output& out) {
    RecallFigures figures;
    if (!settingsAlone_ && file_.extension() != ".csv") {
        const Session session = openSession(session_);
        AudioStore store;
        figures = recallFigures(session, store, measureSessionStrokes(session, store).strokes);
    }
    const RecallSheet sheet = recallSheet(loadDocument(session_), figures);
    writeRecall(sheet, file_);
    out.machine({{"file", file_.string()}, {"rows", sheet.rows.size()}});
    out.say("Recall sheet " + file_.string() + " with " + std::to_string(sheet.rows.size()) +
            " rows");
}

}  // namespace ember::cli
