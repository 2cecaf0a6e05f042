#include "cli/reference.h"

#include "cli/edit.h"
#include "cli/separate.h"
#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/report/draft.h"

#include <algorithm>

namespace ember::cli {
namespace {

Json figuresJson(const SongFigures& figures) {
    Json thirds = Json::array(), drums = Json::array(), width = Json::array();
    const Spectrum& s = figures.levels.spectrum;
    for (std::size_t b = 0; b < s.level.size(); ++b)
        thirds.push_back({{"hertz", s.frequency[b]},
                          {"level_db", s.level[b]},
                          {"low_db", figures.low.level[b]},
                          {"high_db", figures.high.level[b]}});
    for (const DrumStands& d : figures.drums)
        drums.push_back({{"drum", d.drum}, {"strokes", d.strokes}, {"db", d.db}});
    for (const BandWidth& w : figures.levels.width)
        width.push_back({{"hertz", w.hertz}, {"side_to_mid_db", w.sideToMidDb}});
    return {{"loudness_lufs", figures.levels.integrated},
            {"range_lu", figures.rangeLu},
            {"true_peak_dbtp", figures.levels.truePeak},
            {"crest_db", figures.levels.crestDb},
            {"mono_loss_db", figures.levels.monoLossDb},
            {"width", std::move(width)},
            {"drums", std::move(drums)},
            {"thirds", std::move(thirds)}};
}

std::string moveName(const ReferenceMove& move) {
    return move.kind == ReferenceMove::Kind::tone ? "tone" : move.drum;
}

// "kick=deep.wav" and the like.
std::vector<DraftPart> draftParts(const std::vector<std::string>& texts) {
    std::vector<DraftPart> out;
    for (const std::string& text : texts) {
        const auto at = text.find('=');
        if (at == std::string::npos || at + 1 == text.size())
            throw Error("“" + text +
                        "” is no part of a draft: kick=FILE, snare=FILE or hihat=FILE.");
        out.push_back({text.substr(0, at), std::filesystem::absolute(text.substr(at + 1))});
    }
    return out;
}

// The one that is named, or the only one.
std::string referenceOf(const Session& session, const std::string& named) {
    if (!named.empty()) return rowByIdOrName(session, named).id;
    std::vector<std::string> all;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) all.push_back(row.id);
    }
    if (all.empty())
        throw Error("This session has no reference: intake --into adds one, with --as reference.");
    if (all.size() > 1)
        throw Error("There are several references: say which, as " + all.front() + ".");
    return all.front();
}

}  // namespace

ReferenceCommand::ReferenceCommand(CLI::App& app) {
    command_ = app.add_subcommand("reference",
                                  "a finished record beside the mix: what it does, and "
                                  "what would bring the mix nearer");
    command_->add_option("session", session_)->required();
    command_->add_option("row", row_, "of the reference, where there are several");
    command_->add_option("--do", do_, "one of what is proposed: tone, or a drum");
    command_
        ->add_option("--at", at_, "move its longest bare bars (or its first bar) to this second")
        ->check(CLI::Range(0.0, 86400.0));
    command_->add_option("--band", band_, "two frequencies: does the level between them move?")
        ->expected(2)
        ->check(CLI::Range(20.0, 20000.0));
    command_->add_option("--midi", midi_, "write its strokes to a MIDI file");
    command_->add_option("--cut", cut_, "write its cleanest kick, snare and hat into this folder");
    command_->add_option("--from", from_, "seconds of the mix")->check(CLI::Range(0.0, 86400.0));
    command_->add_option("--to", to_, "seconds of the mix")->check(CLI::Range(0.0, 86400.0));
}

void ReferenceCommand::run(bool json) {
    if (!*command_) return;
    const Output out{json};
    const Session session = withStrokesHeard(openSession(session_), session_);
    AudioStore store;
    const ReferenceReading found = readReference(session, store, referenceOf(session, row_));
    if (!do_.empty() || at_) return change(out, session, store, found);
    tell(out, session, store, found);
}

void ReferenceCommand::tell(const Output& out, const Session& session, AudioStore& store,
                            const ReferenceReading& found) const {
    const ReferenceCheck check = checkReference(session, store, found, from_, to_);
    for (const std::string& text : referenceText(session, found)) out.say(text);
    Json bare = Json::array(), heard = Json::array(), moves = Json::array(), moving = Json::array();
    for (const BareBars& b : found.bare) {
        bare.push_back({{"from_s", b.from}, {"to_s", b.to}, {"bars", b.bars}, {"sure", b.sure}});
        out.say(std::to_string(b.bars) + (b.bars == 1 ? " bare bar from " : " bare bars from ") +
                numberText(b.from, 2) + " s");
    }
    Json sections = Json::array();
    for (const SongSection& s : found.sections) {
        Json drums = Json::array();
        for (const SectionDrum& d : s.drums)
            drums.push_back({{"drum", d.drum}, {"places", d.places}});
        sections.push_back({{"name", s.name},
                            {"from_s", s.from},
                            {"to_s", s.to},
                            {"first_bar", s.firstBar + 1},
                            {"bars", s.bars},
                            {"places_a_beat", kPlacesABeat},
                            {"drums", std::move(drums)}});
    }
    for (const std::string& text : sectionsText(found)) out.say(text);
    for (const StrokesHeard& h : found.heard)
        heard.push_back({{"drum", h.drum}, {"strokes", h.strokes}, {"sure", h.sure}});
    for (const std::string& text : referenceCheckText(found, check)) out.say(text);
    for (const ReferenceMove& move : check.moves) {
        moves.push_back({{"do", moveName(move)},
                         {"db", move.db},
                         {"before_db", move.beforeDb},
                         {"after_db", move.afterDb}});
        out.say("--do " + moveName(move) + ": " + referenceMoveText(session, move));
    }
    if (!band_.empty()) {
        const auto [low, high] = std::minmax(band_[0], band_[1]);
        const auto found_ =
            modulationIn(session, store, found, found.begins, found.ends, low, high);
        for (const Modulation& m : found_)
            moving.push_back({{"hertz", m.hertz},
                              {"depth_db", m.depthDb},
                              {"chance", m.chance},
                              {"with_beat", m.withBeat}});
        out.say(modulationText(low, high, found_));
    }
    if (!midi_.empty()) {
        writeReferenceMidi(session, found, midi_);
        out.say("Written: " + midi_.string());
    }
    if (!cut_.empty()) {
        std::filesystem::create_directories(cut_);
        for (const StrokesHeard& h : found.heard)
            out.say("Written: " + cutFromReference(session, store, found, h.drum, cut_).string());
    }
    out.machine({{"row", found.row},
                 {"bpm", found.timing.bpm},
                 {"first_bar_s", found.timing.firstBar},
                 {"strokes", std::move(heard)},
                 {"bare", std::move(bare)},
                 {"sections", std::move(sections)},
                 {"louder_db", check.louderDb},
                 {"drums_alone", check.drumsAlone},
                 {"record", figuresJson(heldAgainst(found, check))},
                 {"mix", figuresJson(check.mix)},
                 {"moves", std::move(moves)},
                 {"modulation", std::move(moving)}});
}

void ReferenceCommand::change(const Output& out, const Session& whole, AudioStore& store,
                              const ReferenceReading& found) const {
    changeSession(out, session_, [&](Session session) {
        if (at_) {
            const double from =
                found.bare.empty() ? found.timing.firstBar : found.bare.front().from;
            return withReferenceAt(std::move(session), found.row, from, *at_);
        }
        if (!draft_.empty())
            return withDraft(std::move(session), store, found, draftParts(draft_)).session;
        for (const ReferenceMove& move : checkReference(whole, store, found, from_, to_).moves) {
            if (moveName(move) == do_) return withReferenceMove(std::move(session), move);
        }
        throw Error("Nothing is proposed for “" + do_ +
                    "”: reference without --do says what may be done.");
    });
}

}  // namespace ember::cli
