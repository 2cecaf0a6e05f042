#include "cli/sums.h"

#include "cli/edit.h"
#include "cli/separate.h"
#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/report/adds_up.h"
#include "core/report/bus_check.h"
#include "core/report/bus_whole.h"
#include "core/report/ceiling_check.h"
#include "core/report/headroom.h"
#include "core/report/low_end.h"
#include "core/report/one_room.h"
#include "core/report/punch_guard.h"
#include "core/report/range_report.h"
#include "core/report/through_music.h"
#include "core/session/ceiling.h"
#include "core/session/range.h"

#include <algorithm>
#include <array>

namespace ember::cli {
namespace {

constexpr std::array kMoveNames{"duck", "cut-bass", "cut-kick"};     // by LowMove::Kind
constexpr std::array kOwnerNames{"nobody", "kick", "bass", "both"};  // by LowOwner

std::string moveName(const LowMove& move) {
    return kMoveNames[static_cast<std::size_t>(move.kind)];
}

std::string remedyName(const RoomRemedy& remedy) {
    return remedy.kind == RoomRemedy::Kind::share ? "share" : "dry";
}

}  // namespace

SumCommands::SumCommands(CLI::App& app) {
    busCheck_ = app.add_subcommand("bus-check", "who of a bus's members is heard");
    busCheck_->add_option("session", session_)->required();
    busCheck_->add_option("bus", row_)->required();
    whole_ = app.add_subcommand(
        "whole", "a sum of drums as a whole: highs against lows, and the room it leaves");
    whole_->add_option("session", session_)->required();
    whole_->add_option("bus", row_)->required();
    range_ = app.add_subcommand(
        "range", "how far the loudness of every sum moves, and what is wanted of it");
    range_->add_option("session", session_)->required();
    range_->add_option("bus", row_, "of which something is wanted");
    range_->add_option("wish", wish_, "“even 3”, “moves 5” (LU), or “none”");
    addsUp_ = app.add_subcommand("adds-up", "what a row gives the sum with what stands beside it");
    addsUp_->add_option("session", session_)->required();
    addsUp_->add_option("row", row_)->required();
    lowEnd_ = app.add_subcommand(
        "low-end", "kick and bass by themselves: who owns which octave, and what frees the other");
    lowEnd_->add_option("session", session_)->required();
    lowEnd_->add_option("--do", move_, "one of what may be done: duck, cut-bass or cut-kick")
        ->check(CLI::IsMember(std::vector<std::string>(kMoveNames.begin(), kMoveNames.end())));
    through_ = app.add_subcommand("through",
                                  "how far every drum's strokes stand above all else, guests too");
    through_->add_option("session", session_)->required();
    through_->add_option("--raise", move_, "a drum, by as much as it is said to need");
    oneRoom_ = app.add_subcommand("one-room", "which drums stand in another room than the rest");
    oneRoom_->add_option("session", session_)->required();
    oneRoom_->add_option("--do", move_, "one of what may be done: share or dry")
        ->check(CLI::IsMember({"share", "dry"}));
    punch_ = app.add_subcommand("punch", "what a bus's steps do to the punch of every drum in it");
    punch_->add_option("session", session_)->required();
    punch_->add_option("bus", row_)->required();
    ceiling_ = app.add_subcommand(
        "ceiling", "a bus's spectrum against a line of one's own: what crosses it, and when");
    ceiling_->add_option("session", session_)->required();
    ceiling_->add_option("bus", row_)->required();
    ceiling_->add_option("--draw", draw_, "a line so many dB over what sounds there now")
        ->check(CLI::Range(-40.0, 40.0));
    ceiling_->add_flag("--none", trim_, "take the line away");
    headroom_ = app.add_subcommand("headroom", "how much room the levels leave");
    headroom_->add_option("session", session_)->required();
    headroom_->add_flag("--trim", trim_, "move all faders by what is said");
    for (CLI::App* sub : {busCheck_, whole_, range_, addsUp_, lowEnd_, through_, oneRoom_, punch_,
                          ceiling_, headroom_}) {
        sub->add_option("--from", from_, "seconds")->check(CLI::Range(0.0, 86400.0));
        sub->add_option("--to", to_, "seconds")->check(CLI::Range(0.0, 86400.0));
    }
}

void SumCommands::run(bool json) {
    const Output out{json};
    if (*addsUp_) addsUp(out);
    if (*busCheck_) checkBus(out);
    if (*whole_) whole(out);
    if (*range_) range(out);
    if (*through_) move_.empty() ? through(out) : raise(out);
    if (*oneRoom_) move_.empty() ? oneRoom(out) : bringTogether(out);
    if (*punch_) punch(out);
    if (*ceiling_) trim_ || draw_ ? drawCeiling(out) : ceiling(out);
    if (*headroom_) trim_ ? trim(out) : headroom(out);
    if (*lowEnd_) move_.empty() ? lowEnd(out) : makeMove(out);
}

void SumCommands::addsUp(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const std::string row = rowByIdOrName(session, row_).id;
    const AddsUp found = ember::addsUp(session, store, row, from_, to_);
    Json bands = Json::array();
    for (const AddedBand& b : found.bands) {
        bands.push_back({{"low_hz", b.low},
                         {"high_hz", b.high},
                         {"alone_db", b.aloneDb},
                         {"sum_db", b.sumDb},
                         {"flipped_db", b.flippedDb}});
        out.say(numberText(b.low, 0) + " to " + numberText(b.high, 0) + " Hz: sum " +
                changeText(b.sumDb, 1) + " dB, turned over " + changeText(b.flippedDb, 1) + " dB");
    }
    out.say(addsUpText(session, row, found));
    out.machine({{"row", row},
                 {"into", found.into},
                 {"sum_db", found.sumDb},
                 {"flipped_db", found.flippedDb},
                 {"low_db", found.lowDb},
                 {"low_flipped_db", found.lowFlippedDb},
                 {"bands", bands}});
}

void SumCommands::checkBus(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const BusCheck found =
        ember::checkBus(session, store, rowByIdOrName(session, row_).id, from_, to_);
    Json members = Json::array(), sticking = Json::array();
    for (const BusMember& m : found.members) {
        members.push_back({{"row", m.row},
                           {"sounds", m.heard.sounds},
                           {"heard", m.heard.share},
                           {"over_db", m.heard.overDb},
                           {"raise_db", m.heard.raiseDb},
                           {"masked_by", m.maskedBy},
                           {"masked_hz", m.maskedHz},
                           {"side_db", m.sideDb},
                           {"range_db", m.rangeDb}});
        if (m.heard.sounds)
            out.say(findRow(session, m.row)->name + ": heard in " +
                    numberText(100.0 * m.heard.share, 0) + " % of the time it sounds");
    }
    for (const StickingOut& s : found.sticking)
        sticking.push_back({{"hz", s.hertz}, {"db", s.db}, {"row", s.row}});
    for (const std::string& text : busCheckText(session, found)) out.say(text);
    out.machine({{"bus", found.bus}, {"members", members}, {"sticking_out", sticking}});
}

void SumCommands::whole(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const BusWhole found = busWhole(session, store, rowByIdOrName(session, row_).id, from_, to_);
    Json room = Json::array(), guests = Json::array();
    for (const RoomLeft& r : found.room)
        room.push_back({{"what", r.name},
                        {"low_hz", r.low},
                        {"high_hz", r.high},
                        {"left", r.left},
                        {"usual", r.usual},
                        {"row", r.row},
                        {"row_share", r.rowShare}});
    for (const GuestHeard& g : found.guests)
        guests.push_back(
            {{"row", g.row}, {"heard", g.heard}, {"behind", g.behind}, {"hz", g.hertz}});
    for (const std::string& text : busWholeText(session, found)) out.say(text);
    out.machine({{"bus", found.bus},
                 {"highs_db", found.highsDb},
                 {"usual", {found.usual.low, found.usual.high}},
                 {"highs_row", found.highsRow},
                 {"highs_share", found.highsShare},
                 {"lows_row", found.lowsRow},
                 {"lows_share", found.lowsShare},
                 {"room", room},
                 {"guests", guests}});
}

void SumCommands::range(const Output& out) {
    if (!wish_.empty())
        return changeSession(out, session_, [this](Session s) {
            const std::string row = rowByIdOrName(s, row_).id;
            return withRangeTyped(std::move(s), row, wish_ == "none" ? std::string() : wish_);
        });
    const Session session = openSession(session_);
    AudioStore store;
    const std::vector<SumRange> sums = rangeReport(session, store, from_, to_);
    constexpr std::array verdicts{"silent", "within", "too-far", "too-even"};  // by RangeVerdict
    Json list = Json::array();
    for (const SumRange& s : sums) {
        const RangeBudget* budget = rangeBudget(session, s.row);
        list.push_back({{"row", s.row},
                        {"played_lu", s.played},
                        {"fed_lu", s.fed},
                        {"kept_lu", s.kept},
                        {"wanted", budget != nullptr ? rangeBudgetText(*budget) : ""},
                        {"verdict", verdicts[static_cast<std::size_t>(rangeVerdict(session, s))]}});
        if (s.sounds)
            out.say(findRow(session, s.row)->name + ": " + numberText(s.played, 1) +
                    " LU as played, " + numberText(s.fed, 1) + " coming in, " +
                    numberText(s.kept, 1) + " kept");
    }
    for (const std::string& text : rangeText(session, sums)) out.say(text);
    out.machine(list);
}

void SumCommands::punch(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const PunchGuard found =
        punchGuard(session, store, rowByIdOrName(session, row_).id, from_, to_);
    for (const std::string& text : punchGuardText(session, found)) out.say(text);
    Json drums = Json::array();
    for (const GuardedDrum& d : found.drums)
        drums.push_back({{"drum_id", d.drum},
                         {"strokes", d.strokes},
                         {"before_db", d.before},
                         {"after_db", d.after},
                         {"crest_before_db", d.crestBefore},
                         {"crest_after_db", d.crestAfter},
                         {"stage", d.stage},
                         {"gives_back_db", d.givesBack}});
    out.machine({{"bus", found.bus}, {"steps", found.steps}, {"drums", drums}});
}

void SumCommands::ceiling(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const CeilingCheck found = checkCeiling(
        session, readSpectra(session, store, rowByIdOrName(session, row_).id, from_, to_));
    for (const std::string& text : ceilingText(session, found)) out.say(text);
    Json crossings = Json::array(), bands = Json::array();
    for (const Crossing& c : found.crossings)
        crossings.push_back({{"hz", c.hertz},
                             {"over_db", c.overDb},
                             {"times", c.times},
                             {"share", c.share},
                             {"at", c.at},
                             {"row", c.row},
                             {"row_share", c.rowShare}});
    for (std::size_t b = 0; b < found.hertz.size(); ++b)
        bands.push_back(
            {{"hz", found.hertz[b]}, {"usual_db", found.usual[b]}, {"most_db", found.most[b]}});
    out.machine({{"bus", found.bus},
                 {"crossings", crossings},
                 {"ear",
                  {{"usual_db", found.ear.usualDb},
                   {"most_db", found.ear.mostDb},
                   {"at", found.ear.at},
                   {"row", found.ear.row},
                   {"row_share", found.ear.rowShare}}},
                 {"bands", bands}});
}

void SumCommands::drawCeiling(const Output& out) {
    std::optional<Ceiling> line;
    if (!trim_) {
        const Session session = openSession(session_);
        AudioStore store;
        const CeilingCheck found = checkCeiling(
            session, readSpectra(session, store, rowByIdOrName(session, row_).id, from_, to_));
        line = ceilingOver(found, session.ceiling.value_or(Ceiling{}), *draw_);
    }
    changeSession(out, session_, [&](Session s) { return withCeiling(std::move(s), line); });
}

void SumCommands::lowEnd(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const LowEnd found = ember::lowEnd(session, store, from_, to_);
    Json rows = Json::array(), octaves = Json::array(), moves = Json::array();
    for (const LowRow& row : found.rows) {
        Json line{{"row", row.row},
                  {"bass", row.bass},
                  {"peak_db", row.peakDb},
                  {"own_hz", row.ownHertz},
                  {"over_db", row.overDb}};
        if (row.targetDb) {
            line["reads_db"] = row.readsDb;
            line["target_db"] = *row.targetDb;
        }
        rows.push_back(std::move(line));
    }
    for (const LowOctave& o : found.octaves)
        octaves.push_back({{"low_hz", o.low},
                           {"high_hz", o.high},
                           {"kick_db", o.kickDb},
                           {"bass_db", o.bassDb},
                           {"owner", kOwnerNames[static_cast<std::size_t>(o.owner)]},
                           {"clash", o.clash},
                           {"sum_db", o.sumDb},
                           {"flipped_db", o.flippedDb}});
    for (const std::string& text : lowEndText(session, found)) out.say(text);
    for (const LowMove& move : found.moves) {
        moves.push_back({{"do", moveName(move)},
                         {"row", move.row},
                         {"hz", move.hertz},
                         {"frees_db", move.freesDb},
                         {"costs_lu", move.costsLu},
                         {"lows_db", move.lowsDb}});
        out.say("--do " + moveName(move) + ": " + lowMoveText(session, move));
    }
    out.machine({{"kick_peak_db", found.kickPeakDb},
                 {"pair_peak_db", found.pairPeakDb},
                 {"strokes", found.strokes.size()},
                 {"over_db", found.overDb},
                 {"rows", rows},
                 {"octaves", octaves},
                 {"moves", moves}});
}

void SumCommands::through(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const ThroughMusic found = throughMusic(session, store, from_, to_);
    Json drums = Json::array();
    for (const DrumThrough& d : found.drums) {
        drums.push_back({{"drum", d.drum},
                         {"strokes", d.strokes},
                         {"heard", d.heard},
                         {"over_db", d.overDb},
                         {"low_db", d.lowDb},
                         {"ghosts", d.ghosts},
                         {"ghosts_heard", d.ghostsHeard},
                         {"raise_db", d.raiseDb},
                         {"fault", throughFaultText(d.fault)},
                         {"behind", d.behind},
                         {"hz", d.hertz},
                         {"weak_bar", d.weakBar},
                         {"weak_heard", d.weakHeard}});
        out.say(drumName(session, d.drum) + ": " + numberText(100.0 * d.heard, 0) + " % of " +
                std::to_string(d.strokes) + " strokes, usually " + numberText(d.overDb, 1) +
                " dB over the rest");
    }
    for (const std::string& text : throughText(session, found)) out.say(text);
    out.machine({{"guests", found.guests}, {"drums", drums}});
}

void SumCommands::oneRoom(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const OneRoom found = ember::oneRoom(session, store, from_, to_);
    Json drums = Json::array(), remedies = Json::array();
    for (const DrumRoom& d : found.drums)
        drums.push_back({{"drum", d.drum},
                         {"row", d.row},
                         {"space", d.space},
                         {"wet_db", d.wetDb},
                         {"clarity_db", d.clarityDb},
                         {"apart", d.apart}});
    for (const std::string& text : oneRoomText(session, found)) out.say(text);
    for (const RoomRemedy& remedy : found.remedies) {
        remedies.push_back({{"do", remedyName(remedy)}, {"spread_db", remedy.spreadDb}});
        out.say("--do " + remedyName(remedy) + ": " + roomRemedyText(session, remedy));
    }
    out.machine({{"usual_db", found.usualDb},
                 {"spread_db", found.spreadDb},
                 {"drums", drums},
                 {"remedies", remedies}});
}

void SumCommands::headroom(const Output& out) {
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const HeadroomPlan plan = headroomPlan(session, store, from_, to_);
    for (const std::string& text : headroomText(session, plan)) out.say(text);
    out.machine({{"kick", plan.kick},
                 {"kick_db", plan.kickDb},
                 {"target_db", plan.targetDb},
                 {"kicks_db", plan.kicksDb},
                 {"pair_db", plan.pairDb},
                 {"drums_db", plan.drumsDb},
                 {"main_db", plan.mainDb},
                 {"trim_db", plan.trimDb},
                 {"trimmed_main_db", plan.trimmedMainDb}});
}

void SumCommands::make(const Output& out,
                       const std::function<Session(Session struck, const Session& whole)>& make) {
    changeSession(out, session_, [&](const Session& session) {
        const Session whole = withStrokesHeard(openSession(session_), session_);
        Session struck = session;
        struck.strokes = whole.strokes;
        return make(std::move(struck), whole);
    });
}

void SumCommands::makeMove(const Output& out) {
    make(out, [this](Session struck, const Session& whole) {
        AudioStore store;
        for (const LowMove& move : ember::lowEnd(whole, store, from_, to_).moves) {
            if (moveName(move) == move_) return withLowMove(std::move(struck), move).session;
        }
        throw Error("There is nothing to " + move_ +
                    " for: low-end without --do says what may be done.");
    });
}

void SumCommands::raise(const Output& out) {
    make(out, [this](Session struck, const Session& whole) {
        AudioStore store;
        for (const DrumThrough& d : throughMusic(whole, store, from_, to_).drums) {
            if (d.drum != move_ && drumName(whole, d.drum) != move_) continue;
            if (d.raiseDb <= 0.0) throw Error("The " + move_ + " comes through as it is.");
            return withDrumRaised(std::move(struck), d.drum, d.raiseDb);
        }
        throw Error("No drum “" + move_ + "” is struck there: through without --raise says which.");
    });
}

void SumCommands::bringTogether(const Output& out) {
    make(out, [this](Session struck, const Session& whole) {
        AudioStore store;
        for (const RoomRemedy& remedy : ember::oneRoom(whole, store, from_, to_).remedies) {
            if (remedyName(remedy) == move_) return withRemedy(std::move(struck), remedy);
        }
        throw Error("There is nothing to " + move_ +
                    ": one-room without --do says what may be done.");
    });
}

void SumCommands::trim(const Output& out) {
    make(out, [this](Session struck, const Session& whole) {
        AudioStore store;
        const HeadroomPlan plan = headroomPlan(whole, store, from_, to_);
        if (plan.trimDb == 0.0)
            throw Error("The levels are right as they are; nothing is trimmed.");
        return withTrim(std::move(struck), plan.trimDb);
    });
}

}  // namespace ember::cli
