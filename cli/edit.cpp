#include "cli/edit.h"

#include "cli/separate.h"
#include "cli/set.h"
#include "core/advise/chain_copy.h"
#include "core/advise/ready_bus.h"
#include "core/base/error.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/midi_time.h"
#include "core/session/reasons.h"
#include "core/session/routing.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <iostream>

namespace ember::cli {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr double kSameStroke = 0.03;  // seconds

void tell(bool json, const std::vector<std::string>& sentences) {
    if (json) {
        std::cout << Json{{"changes", sentences}}.dump(1, ' ', false,
                                                       Json::error_handler_t::replace)
                  << "\n";
        return;
    }
    for (const std::string& sentence : sentences) std::cout << sentence << "\n";
    if (sentences.empty()) std::cout << "Nothing changed.\n";
}

Session withTarget(Session session, const LevelTarget& target) {
    std::erase_if(session.targets, [&](const LevelTarget& t) { return t.what == target.what; });
    session.targets.push_back(target);
    return session;
}

Session withSpot(Session session, const Spot& spot, bool removing) {
    const auto before = session.spots.size();
    std::erase_if(session.spots, [&](const Spot& s) { return s.name == spot.name; });
    if (removing) {
        if (session.spots.size() == before) throw Error("There is no spot “" + spot.name + "”.");
        return session;
    }
    if (spot.to <= spot.from) throw Error("A spot ends later than it begins.");
    session.spots.push_back(spot);
    return session;
}

// A correction of one stroke, as the Hits page makes it.
StrokeEdit strokeEdit(const Session& session, const std::vector<Stroke>& strokes,
                      const std::string& drum, double time, StrokeKind kind, double velocity,
                      bool removing) {
    if (removing) {
        const auto at = std::find_if(strokes.begin(), strokes.end(), [&](const Stroke& s) {
            return s.drum == drum && std::abs(s.time - time) < kSameStroke;
        });
        if (at == strokes.end())
            throw Error("The " + drumName(session, drum) +
                        " has no stroke within 30 ms of that time.");
        return {true, *at};
    }
    Stroke stroke;
    stroke.time = time;
    stroke.drum = drum;
    const auto mic = std::find_if(session.rows.begin(), session.rows.end(),
                                  [&](const Row& row) { return row.drum == drum; });
    if (mic != session.rows.end()) stroke.mic = mic->id;
    stroke.velocity = velocity;
    stroke.levelDb = 20.0 * std::log10(std::max(0.01, velocity) / 0.9);
    stroke.kind = kind;
    stroke.confidence = 1.0;
    stroke.byHand = true;
    return {false, stroke};
}

}  // namespace

EditCommands::EditCommands(CLI::App& app) {
    const auto command = [&](const char* name, const char* text) {
        CLI::App* sub = app.add_subcommand(name, text);
        sub->add_option("session", session_)->required();
        return sub;
    };
    add_ = command("add", "put a processor into a row's chain");
    add_->add_option("element", row_, "row, by id")->required();
    add_->add_option("processor", what_, "its type: compressor, saturation, ...")->required();
    add_->add_option("--after", stage_, "the step behind which it stands");
    remove_ = command("remove", "take a processor out of a row's chain");
    remove_->add_option("element", row_)->required();
    remove_->add_option("processor", stage_, "its id in the chain")->required();
    move_ = command("move", "move a processor along its chain");
    move_->add_option("element", row_)->required();
    move_->add_option("processor", stage_)->required();
    move_->add_option("steps", steps_, "later (3) or earlier (-1)")->required();
    copy_ = command("copy-chain", "a row's processors for another row, fitted to its drum");
    copy_->add_option("from", row_)->required();
    copy_->add_option("to", what_)->required();
    key_ = command("key", "what a detector hears: another row, or none for its own");
    key_->add_option("element", row_)->required();
    key_->add_option("processor", stage_)->required();
    key_->add_option("key", what_, "row, or none")->required();
    send_ = command("send", "send a row to another bus beside its own, or change what it sends");
    send_->add_option("element", row_)->required();
    send_->add_option("bus", what_, "a bus")->required();
    send_->add_option("--level", sendLevel_, "dB, -90 (silence) to 12");
    send_->add_option("--pan", sendPan_, "percent, -100 (left) to 100 (right)");
    send_->add_option("--from", sendFrom_, "before or after the fader")
        ->check(CLI::IsMember({"before", "after"}));
    send_->add_option("--on", sendOn_, "on or off")->check(CLI::IsMember({"on", "off"}));
    send_->add_flag("--remove", removing_, "take the send away");
    bus_ = command("bus", "a new bus that feeds the main, or without one");
    bus_->add_option(
            "name", name_,
            "its name; with --remove its id; with --ready press, dirt, plate, room or burst")
        ->required();
    bus_->add_flag("--remove", removing_, "what fed it feeds what it fed");
    bus_->add_flag("--ready", ready_,
                   "one that is ready beside the mix, silent until its fader is raised");
    preset_ = command("preset", "use a processor's settings from a file, or save them");
    preset_->add_option("element", row_)->required();
    preset_->add_option("processor", stage_)->required();
    preset_->add_option("file", file_)->required();
    preset_->add_flag("--save", save_, "write the file");
    chain_ = command("chain", "use a whole chain from a file, or save it");
    chain_->add_option("element", row_)->required();
    chain_->add_option("file", file_)->required();
    chain_->add_flag("--save", save_, "write the file");
    target_ = command("target", "where a drum's level is to lie");
    target_
        ->add_option("what", what_,
                     "kick, snare, tom, hihat, cymbal, percussion, overhead, room, kit")
        ->required();
    target_->add_option("level", level_, "dBFS, or LUFS with --average")
        ->required()
        ->check(CLI::Range(-80.0, 0.0));
    target_->add_option("--strokes", strokes_, "loudest or usual")
        ->check(CLI::IsMember({"loudest", "usual"}));
    target_->add_flag("--average", average_, "average loudness instead of peaks");
    spot_ = command("spot", "note a place worth listening to");
    spot_->add_option("name", name_)->required();
    spot_->add_option("--from", from_, "seconds")->check(CLI::Range(0.0, 86400.0));
    spot_->add_option("--to", to_, "seconds")->check(CLI::Range(0.0, 86400.0));
    spot_->add_flag("--remove", removing_, "forget it");
    stroke_ = command("stroke", "correct a stroke: put one in, or take one away");
    stroke_->add_option("drum", drum_, "by id or name")->required();
    stroke_->add_option("time", at_, "seconds")->required()->check(CLI::Range(0.0, 86400.0));
    stroke_->add_option("--kind", kind_, "accent, normal, ghost or flam");
    stroke_->add_option("--velocity", velocity_, "0 to 1")->check(CLI::Range(0.0, 1.0));
    stroke_->add_flag("--remove", removing_, "take away the one at that time");
    decline_ = command("decline", "never propose this again, or do");
    decline_->add_option("proposal", what_, "its id, as advise prints it")->required();
    decline_->add_flag("--again", removing_, "propose it again");
    time_ = command("time", "the song's tempi, metres and bars; several options in one edit");
    time_->add_option("--midi", file_, "take them from a MIDI file; bar 1 begins at 0 or --start");
    time_->add_flag("--follow", following_, "a tempo for every bar, after the strokes");
    time_->add_option("--start", start_, "where bar 1 begins, seconds of song time")
        ->check(CLI::Range(-86400.0, 86400.0));
    time_->add_option("--tempo", bpm_, "quarter notes a minute, of the whole song or from --bar on")
        ->check(CLI::Range(kSlowestTempo, kFastestTempo));
    time_->add_option("--metre", metre_, "for example 7/8, of the whole song or from --bar on");
    time_->add_option("--bar", bar_, "from 1; what is before it stays, and later changes too")
        ->check(CLI::Range(1, 100000));
    time_->add_flag("--remove", removing_, "take away what changes at --bar")
        ->needs(time_->get_option("--bar"));
    undo_ = command("undo", "back to the session as it was saved before; again: forth");
}

void changeSession(const Output& out, const fs::path& file,
                   const std::function<Session(Session)>& make,
                   const std::vector<std::string>* noticed, const std::string& reason) {
    Document document = loadDocument(file);
    Session next = withRelativePaths(make(document.session()), file);
    const std::vector<std::string> said = diff(document.session(), next).sentences();
    const std::vector<Why> why =
        reason.empty() ? std::vector<Why>() : whyOfAll(document.session(), next, reason);
    document.edit(std::move(next), {}, why);
    saveDocument(file, document);
    if (noticed == nullptr) return tell(out.json, said);
    out.machine({{"changes", said}, {"noticed", *noticed}});
    for (const std::string& sentence : said) out.say(sentence);
    for (const std::string& sentence : *noticed) out.say(sentence);
}

Session withStrokesHeard(Session session, const fs::path& file) {
    AudioStore store;
    session.strokes =
        Shared(measureSessionStrokes(withAbsolutePaths(session, file), store).strokes);
    return session;
}

void EditCommands::change(bool json, const std::function<Session(Session)>& make) {
    changeSession({json}, session_, make);
}

void EditCommands::preset(bool json) {
    if (save_) {
        Session session = loadDocument(session_).session();
        const Row& row = rowByIdOrName(session, row_);
        std::vector<Stage> kept;
        if (*preset_) {
            kept.push_back(requireStage(requireRow(session, row.id), stage_));
        } else {
            for (const Stage& s : row.chain) {
                if (s.type != "align" && s.type != "seat") kept.push_back(s);
            }
        }
        if (kept.empty()) throw Error("“" + row.name + "” has no processors to save.");
        saveChain(file_, kept);
        tell(json, {file_.string() + ": " + std::to_string(kept.size()) +
                    (kept.size() == 1 ? " processor" : " processors")});
        return;
    }
    std::vector<Stage> read = loadChain(file_);
    change(json, [&](Session s) {
        const std::string row = rowByIdOrName(s, row_).id;
        return *preset_ ? withPreset(std::move(s), row, stage_, read.front())
                        : withChain(std::move(s), row, std::move(read));
    });
}

void EditCommands::setTime(bool json) {
    std::optional<TimeMap> followed;
    if (following_) {
        const Session session = openSession(session_);
        AudioStore store;
        followed = followStrokes(measureSessionStrokes(session, store).strokes, session.time);
    }
    change(json, [&](Session s) {
        if (followed) s.time = *followed;
        if (!file_.empty()) s.time = loadMidiTime(file_);
        if (start_) s.time.start = *start_;
        const int bar = std::max(0, bar_ - 1);
        if (removing_) s.time = withoutChangesAt(std::move(s.time), bar);
        if (bpm_ > 0.0) {
            if (bar_ == 0) s.time.tempos.resize(1);
            s.time = withTempoFrom(std::move(s.time), bar, bpm_);
        }
        if (!metre_.empty()) {
            const MetreChange metre = metreFrom(metre_);
            if (bar_ == 0) s.time.metres.resize(1);
            s.time = withMetreFrom(std::move(s.time), bar, metre.beats, metre.unit);
        }
        return s;
    });
}

void EditCommands::undo(bool json) {
    fs::path previous = session_;
    previous += ".previous";
    if (!fs::exists(previous))
        throw Error("There is no save before this one: “" + previous.filename().string() +
                    "” is not there.");
    const Document now = loadDocument(session_);
    Document before = loadDocument(previous);
    const SessionDiff changes = diff(now.session(), before.session());
    // The logbook only grows: going back is a line in it.
    Document back(before.session(), now.log());
    back.note("Undone: back to the save before.");
    saveDocument(session_, back);
    tell(json, changes.sentences());
}

void EditCommands::send(bool json) {
    change(json, [&](Session s) {
        const std::string row = rowByIdOrName(s, row_).id, to = rowByIdOrName(s, what_).id;
        if (removing_) return withSendRemoved(std::move(s), row, to);
        const Send* known = findSend(requireRow(s, row), to);
        Send send = known != nullptr ? *known : Send{to};
        if (sendLevel_) send.levelDb = *sendLevel_;
        if (sendPan_) send.pan = *sendPan_;
        if (!sendFrom_.empty()) send.before = sendFrom_ == "before";
        if (!sendOn_.empty()) send.on = sendOn_ == "on";
        return withSend(std::move(s), row, send);
    });
}

void EditCommands::run(bool json) {
    if (*add_)
        change(json, [&](Session s) {
            const std::string row = rowByIdOrName(s, row_).id;
            return withStageAdded(std::move(s), row, what_, stage_);
        });
    if (*remove_)
        change(json, [&](Session s) {
            const std::string row = rowByIdOrName(s, row_).id;
            return withStageRemoved(std::move(s), row, stage_);
        });
    if (*move_)
        change(json, [&](Session s) {
            const std::string row = rowByIdOrName(s, row_).id;
            return withStageMoved(std::move(s), row, stage_, steps_);
        });
    if (*copy_) {
        const Session session = openSession(session_);
        AudioStore store;
        const KitMeasurement measured = measureKit(session, store);
        change(json, [&](const Session& s) {
            return withChainCopied(s, measured, rowByIdOrName(s, row_).id,
                                   rowByIdOrName(s, what_).id);
        });
    }
    if (*key_)
        change(json, [&](Session s) {
            const std::string row = rowByIdOrName(s, row_).id,
                              key = what_ == "none" ? std::string() : rowByIdOrName(s, what_).id;
            return withKey(std::move(s), row, stage_, key);
        });
    if (*send_) send(json);
    if (*bus_)
        change(json, [&](Session s) {
            if (removing_) return withBusRemoved(std::move(s), name_);
            if (!ready_) return withBusAdded(std::move(s), name_);
            s = withReadyBus(std::move(s), name_);
            if (playsStrokes(s) && s.strokes.get().empty() && s.pattern.get().notes.empty())
                s = withStrokesHeard(std::move(s), session_);
            return s;
        });
    if (*preset_ || *chain_) preset(json);
    if (*target_)
        change(json, [&](Session s) {
            return withTarget(
                std::move(s),
                {what_, !average_, average_ ? TargetStrokes::all : targetStrokesFrom(strokes_),
                 level_});
        });
    if (*spot_)
        change(json, [&](Session s) {
            return withSpot(std::move(s), {name_, from_, to_}, removing_);
        });
    if (*stroke_) {
        const StrokeKind kind = strokeKindFrom(kind_);
        AudioStore store;
        Session session = openSession(session_);
        const std::string drum = requireDrum(session, drum_);
        session.strokeEdits.push_back(strokeEdit(session,
                                                 measureSessionStrokes(session, store).strokes,
                                                 drum, at_, kind, velocity_, removing_));
        const std::vector<Stroke> corrected = measureSessionStrokes(session, store).strokes;
        change(json, [&](Session s) {
            s.strokeEdits = session.strokeEdits;
            s.strokes = Shared(corrected);
            return s;
        });
    }
    if (*decline_)
        change(json, [&](Session s) {
            std::erase(s.declined, what_);
            if (!removing_) s.declined.push_back(what_);
            return s;
        });
    if (*time_) setTime(json);
    if (*undo_) undo(json);
}

}  // namespace ember::cli
