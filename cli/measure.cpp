#include "cli/measure.h"

#include "cli/separate.h"
#include "cli/set.h"
#include "core/advise/bleed.h"
#include "core/advise/bus.h"
#include "core/advise/usual.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/engine/trace_cache.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/bus_levels.h"
#include "core/report/ledger.h"
#include "core/report/measure_json.h"
#include "core/report/mic_report.h"
#include "core/report/midi_write.h"
#include "core/report/review.h"
#include "core/report/stroke_view.h"
#include "core/session/file.h"

#include <algorithm>
#include <cmath>
#include <iostream>
#include <map>
#include <optional>

namespace ember::cli {
namespace {

void say(const Session& session, const Proposal& p, bool accepted) {
    std::cout << (accepted ? "✓ " : "· ") << p.id << ": " << p.title << " (" << p.school
              << ")\n    " << p.reason << "\n";
    for (const std::string& usual : usualBeside(session, p)) std::cout << "    " << usual << "\n";
    for (const Effect& e : p.effects) {
        std::cout << "    " << e.what << ":";
        const auto figure = [&](const char* name, const std::optional<double>& v) {
            if (v) std::cout << " " << name << " " << numberText(*v, 1) << " " << e.unit;
        };
        figure("before", e.before);
        figure("predicted", e.predicted);
        figure("measured", e.measured);
        std::cout << "\n";
    }
}

}  // namespace

ListeningCommands::ListeningCommands(CLI::App& app) {
    measure_ = app.add_subcommand("measure", "find every stroke and measure the kit");
    measure_->add_option("session", session_)->required();
    measure_
        ->add_option("--what", parts_,
                     "strokes, bleed, phase, tone, time, dynamics; all when not given")
        ->delimiter(',');
    measure_->add_option("--out", out_,
                         "JSON file to write; with the ending .csv or .mid the strokes");

    advise_ = app.add_subcommand("advise", "propose settings with reasons");
    advise_->add_option("session", session_)->required();
    advise_
        ->add_option("--step", steps_,
                     "align, bleed, gate, repair, dynamics, colour, seat, bus; all but bleed, for "
                     "which the kit is taken apart first, when not given")
        ->delimiter(',');
    advise_->add_option("--accept", accept_, "all, or ids of proposals")->delimiter(',');
    advise_->add_option("--out", out_, "session to write instead of the one read");
    advise_->add_option("--align", align_, "drum (within a drum) or overheads")
        ->check(CLI::IsMember({"drum", "overheads"}));
    advise_->add_option("--gate", gate_, "strokes or level")
        ->check(CLI::IsMember({"strokes", "level"}));
    advise_->add_option("--dynamics", dynamics_, "punch, density or pair")
        ->check(CLI::IsMember({"punch", "density", "pair"}));
    advise_->add_option("--eq", eq_, "first or later (behind the compressor)")
        ->check(CLI::IsMember({"first", "later"}));
    advise_->add_option("--colour", colour_, "clean or coloured")
        ->check(CLI::IsMember({"clean", "coloured"}));
    advise_->add_option("--bus", bus_, "glue (gentle glue and space) or parallels (hard and dry)")
        ->check(CLI::IsMember({"glue", "parallels"}));

    advise_
        ->add_option("--bleed", bleed_,
                     "natural (half of what stands in the way) or clean (taken before anything "
                     "lifts it)")
        ->check(CLI::IsMember({"natural", "clean"}));

    ledger_ = app.add_subcommand(
        "ledger", "what every stage of an element's way to the main does to its strokes");
    ledger_->add_option("session", session_)->required();
    ledger_->add_option("element", row_)->required();

    order_ = app.add_subcommand(
        "order", "a processor of an element and the next one, both ways round, level-matched");
    order_->add_option("session", session_)->required();
    order_->add_option("element", row_)->required();
    order_->add_option("processor", stage_)->required();

    wave_ = app.add_subcommand(
        "wave", "one stroke before and after a processor of an element; with --json every sample");
    wave_->add_option("session", session_)->required();
    wave_->add_option("element", row_)->required();
    wave_->add_option("processor", stage_)->required();
    wave_->add_option("--time", time_, "of the stroke, in seconds; a usual one when not given")
        ->check(CLI::Range(0.0, 1e6));

    mics_ = app.add_subcommand("mics", "which microphones the mix would miss if they were closed");
    mics_->add_option("session", session_)->required();

    review_ = app.add_subcommand(
        "review", "what is active before anybody touched it, and what was left behind");
    review_->add_option("session", session_)->required();
}

void ListeningCommands::run(bool json) {
    if (*measure_) measure(json);
    if (*advise_) advise(json);
    if (*ledger_) ledger(json);
    if (*order_) order(json);
    if (*review_) review(json);
    if (*wave_) wave(json);
    if (*mics_) mics(json);
}

void ListeningCommands::measure(bool asJson) {
    const Session session = openSession(session_);
    AudioStore store;
    const KitMeasurement m = measureKit(session, store);
    const bool dynamics = parts_.empty() || parts_.contains("dynamics");
    const bool wanted = asJson || !out_.empty();
    const std::string json = measurementJson(
        session, m, parts_,
        dynamics && wanted ? busLevels(session, store) : std::vector<SignalLevels>{});
    if (out_.extension() == ".mid") {
        writeStrokesMidi(session, m.strokes.strokes, out_);
    } else if (!out_.empty()) {
        writeAtomically(
            out_, out_.extension() == ".csv" ? strokesCsv(session, m.strokes) : json + "\n", false);
    }
    if (asJson && out_.empty()) {
        std::cout << json << "\n";
        return;
    }
    std::map<std::string, std::map<StrokeKind, int>> counts;
    for (const Stroke& s : m.strokes.strokes) ++counts[s.drum][s.kind];
    for (auto& [drum, kinds] : counts) {
        std::cout << drumName(session, drum) << ":";
        for (const StrokeKind kind :
             {StrokeKind::accent, StrokeKind::normal, StrokeKind::ghost, StrokeKind::flam}) {
            if (kinds[kind] > 0) std::cout << " " << kinds[kind] << " " << toString(kind);
        }
        for (const DrumTone& t : m.tone) {
            if (t.drum == drum && t.fundamental > 0.0)
                std::printf("; note %.1f Hz, T60 %.2f s", t.fundamental, t.decayT60);
            if (t.drum != drum) continue;
            for (const Ring& ring : t.rings) std::printf("; ring %.0f Hz", ring.hertz);
        }
        std::fflush(stdout);
        std::cout << "\n";
    }
}

void ListeningCommands::advise(bool json) {
    for (const std::string& step : steps_) {
        const auto& known = advisedSteps();
        if (std::find(known.begin(), known.end(), step) == known.end()) {
            std::string list;
            for (const std::string& s : known) list += (list.empty() ? "" : ", ") + s;
            throw Error(
                std::string("“").append(step).append("” is no step with advice; known are ") +
                list.append("."));
        }
    }
    Document document = loadDocument(session_);
    Session session = withAbsolutePaths(document.session(), session_);
    AudioStore store;
    const KitMeasurement m = measureKit(session, store);
    Session wished = session;
    const std::map<std::string, std::string> shortNames{{"drum", "within-drum"},
                                                        {"overheads", "to-overheads"},
                                                        {"strokes", "by-strokes"},
                                                        {"level", "by-level"}};
    for (const auto& [step, way] :
         std::initializer_list<std::pair<const char*, const std::string&>>{{"align", align_},
                                                                           {"gate", gate_},
                                                                           {"eq", eq_},
                                                                           {"dynamics", dynamics_},
                                                                           {"colour", colour_},
                                                                           {"bus", bus_},
                                                                           {"bleed", bleed_}}) {
        if (way.empty()) continue;
        const auto full = shortNames.find(way);
        wished = withWay(std::move(wished), step, full != shortNames.end() ? full->second : way);
    }
    std::vector<Proposal> proposals = ember::advise(session, m, wished.ways);
    if (!steps_.empty())
        std::erase_if(proposals, [&](const Proposal& p) { return !steps_.contains(p.step); });
    if (steps_.contains("bleed")) {
        const std::string model = bleedModelFor(session, store);
        const BleedHeard heard =
            hearBleed(session, store, m.strokes.strokes, model, PartsAs::recorded);
        std::vector<Proposal> bleed = adviseBleed(session, heard, m, wished.ways.bleed);
        proposals.insert(proposals.begin(), bleed.begin(), bleed.end());
    }
    // Buses are advised on last, as the mix plays with what is accepted before.
    const bool onBuses = steps_.empty() || steps_.contains("bus");
    const bool all = accept_.contains("all");
    Session mixed = session;
    for (const Proposal& p : proposals) {
        if (all || accept_.contains(p.id)) mixed = accept(std::move(mixed), p, m.strokes);
    }
    if (onBuses) {
        for (Proposal& p :
             adviseBus(mixed, hearBuses(mixed, store, m.strokes.strokes), m, wished.ways.bus))
            proposals.push_back(std::move(p));
    }
    for (const std::string& id : accept_) {
        const bool known =
            id == "all" || std::any_of(proposals.begin(), proposals.end(),
                                       [&](const Proposal& p) { return p.id == id; });
        if (!known)
            throw Error("There is no proposal “" + id +
                        "”; run advise without --accept to see them.");
    }
    std::set<std::string> accepted;
    std::vector<Why> why;
    for (const Proposal& p : proposals) {
        if (!all && !accept_.contains(p.id)) continue;
        session = accept(std::move(session), p, m.strokes);
        accepted.insert(p.id);
        why.push_back(whyOf(p));
    }
    std::optional<BusHeard> after;
    std::optional<BleedHeard> apart;
    for (Proposal& p : proposals) {
        if (!accepted.contains(p.id)) continue;
        if (p.step == "bleed") {
            if (!apart)
                apart = hearBleed(session, store, m.strokes.strokes, p.model, PartsAs::turned);
            measureBleedEffects(p, session, *apart);
            continue;
        }
        if (p.step != "bus") {
            measureEffects(p, session, m, store);
            continue;
        }
        if (!after) after = hearBuses(session, store, m.strokes.strokes);
        measureBusEffects(p, session, *after);
    }
    if (!accepted.empty()) {
        const std::filesystem::path target = out_.empty() ? session_ : out_;
        document.edit(withRelativePaths(session, target), {}, why);
        saveDocument(target, document);
    }
    if (json) {
        std::cout << proposalsJson(proposals, accepted) << "\n";
        return;
    }
    for (const Proposal& p : proposals) say(session, p, accepted.contains(p.id));
}

void ListeningCommands::ledger(bool json) {
    const Session session = openSession(session_);
    AudioStore store;
    const Ledger found = transientLedger(session, measureSessionStrokes(session, store), store,
                                         rowByIdOrName(session, row_).id);
    if (json) {
        std::cout << ledgerJson(found) << "\n";
        return;
    }
    for (std::size_t i = 0; i < found.lines.size(); ++i) {
        const LedgerLine& l = found.lines[i];
        std::printf(
            "%s%s: peak %.1f dBFS, %.1f LUFS, crest %.1f dB, attack against body %.1f dB, "
            "%.1f dB lost in mono\n",
            static_cast<int>(i) == found.worst ? "takes most punch: " : "", l.label.c_str(),
            l.peakDb, l.loudness, l.crestDb, l.transientToBodyDb, l.monoLossDb);
    }
    std::fflush(stdout);
    std::cout << colourText(found) << "\n" << monoText(found) << "\n";
}

void ListeningCommands::order(bool json) {
    const Session session = openSession(session_);
    AudioStore store;
    const OrderTest test = testOrder(session, measureSessionStrokes(session, store), store,
                                     rowByIdOrName(session, row_).id, stage_);
    if (json) {
        std::cout << orderJson(test) << "\n";
        return;
    }
    for (const std::string& sentence : test.sentences) std::cout << sentence << "\n";
}

void ListeningCommands::wave(bool json) {
    const Session session = openSession(session_);
    AudioStore store;
    const std::string row = rowByIdOrName(session, row_).id;
    const double time =
        time_ >= 0.0 ? time_
                     : usualStroke(session, measureSessionStrokes(session, store).strokes, row);
    if (time < 0.0)
        throw Error("No stroke of “" + row + "” is known: give one by --time, in seconds.");
    const StrokeView view = viewStroke(session, store, row, stage_, time, false);
    if (json) {
        std::cout << strokeViewJson(view, time) << "\n";
        return;
    }
    std::cout << "The stroke at " << numberText(time, 3) << " s, loudest sample of every 5 ms:\n";
    const auto step = static_cast<std::size_t>(0.005 * view.sampleRate);
    const auto loudest = [&](const std::vector<float>& wave, std::size_t at) {
        float most = 0.0F;
        for (std::size_t i = at; i < std::min(at + step, wave.size()); ++i)
            most = std::max(most, std::abs(wave[i]));
        return numberText(dbFromGain(static_cast<double>(most)), 1) + " dBFS";
    };
    for (std::size_t at = 0; at < view.before.size(); at += step) {
        const double ms = 1000.0 * (static_cast<double>(at) / view.sampleRate - StrokeView::kLead);
        std::cout << numberText(ms, 0) << " ms: " << loudest(view.before, at) << " before, "
                  << loudest(view.now, at) << " after\n";
    }
}

void ListeningCommands::mics(bool json) {
    const Session session = openSession(session_);
    AudioStore store;
    const std::vector<MicWorth> found =
        microphonesMissed(session, store, measureSessionStrokes(session, store).strokes);
    if (json) {
        std::cout << micsJson(found) << "\n";
        return;
    }
    for (const MicWorth& m : found)
        std::cout << findRow(session, m.row)->name << ": " << worthSentence(session, m) << "\n";
}

void ListeningCommands::review(bool json) {
    const Session session = openSession(session_);
    AudioStore store;
    std::vector<std::string> rows;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::reference) rows.push_back(row.id);
    }
    const std::vector<ReviewItem> items = reviewChains(session, cachedTrace(session, store, rows));
    if (json) {
        std::cout << reviewJson(items) << "\n";
        return;
    }
    for (const ReviewItem& item : items) std::cout << item.sentence << "\n";
    if (items.empty()) std::cout << "Nothing stands in a chain without a decision or an effect.\n";
}

}  // namespace ember::cli
