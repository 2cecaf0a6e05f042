#include "cli/intake.h"

#include "core/advise/session_like.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/report/pack.h"
#include "core/session/document.h"
#include "core/session/file.h"

#include <iostream>

namespace ember::cli {
namespace {

namespace fs = std::filesystem;

// "(by name and sound)".
std::string groundsText(const Identity& who) {
    std::string list;
    for (const std::string& ground : who.grounds) list += (list.empty() ? "" : " and ") + ground;
    return list.empty() ? "" : " (by " + list + ")";
}

// What recordings were taken for, in sentences and for machines.
Json tellEntries(const Output& out, const Intake& found) {
    Json elements = Json::array();
    for (const IntakeEntry& e : found.entries) {
        Json alternatives = Json::array(), files = Json::array();
        for (const Likely& l : e.who.alternatives)
            alternatives.push_back({{"role", toString(l.role)}, {"sure", l.sure}});
        for (const Source& s : e.sources) {
            const std::string name = fs::path(s.file).filename().string();
            if (files.empty() || files.back() != name) files.push_back(name);
        }
        elements.push_back({{"name", e.name},
                            {"files", std::move(files)},
                            {"role", toString(e.role)},
                            {"kind", toString(e.kind)},
                            {"sure", e.who.sure},
                            {"grounds", e.who.grounds},
                            {"alternatives", std::move(alternatives)},
                            {"channels", e.sources.size()},
                            {"seconds", e.seconds},
                            {"peak_dbfs", e.peakDb},
                            {"remarks", e.remarks}});
        out.say(e.name + ": " + std::string(roleLabel(e.role)) +
                (e.sources.size() == 2 ? ", stereo" : "") + ", " + std::string(toString(e.kind)) +
                (e.who.sure >= kSureEnough ? "" : "; not sure") + groundsText(e.who));
        for (const std::string& remark : e.remarks) out.say("  " + remark);
    }
    for (const std::string& sentence : found.refused) std::cerr << sentence << "\n";
    return elements;
}

}  // namespace

IntakeCommand::IntakeCommand(CLI::App& app)
    : command_(app.add_subcommand("intake", "make a session from recordings, or add them to one")) {
    command_->add_option("files", inputs_, "files or folders")->required();
    auto* target = command_->add_option_group("target");
    target->add_option("--out", out_, "session file to write");
    target->add_option("--into", into_, "session file to add them to, at its rate and tempo");
    target->require_option(1);
    command_->add_option("--tempo", tempo_, "beats a minute; measured when not given")
        ->excludes(target->get_option("--into"));
    command_
        ->add_option(
            "--like", like_,
            "an earlier session (or a template, .caskpack): its groups, chains and routing")
        ->excludes(target->get_option("--into"));
    command_->add_option("--as", as_, "what all of them are, whatever they are taken for")
        ->check(CLI::IsMember({"element", "guest", "reference"}));
}

void IntakeCommand::run(bool json) {
    if (!*command_) return;
    const Output out{json};
    AudioStore store;
    const std::vector<fs::path> paths(inputs_.begin(), inputs_.end());
    const bool adding = !into_.empty();
    const fs::path& file = adding ? into_ : out_;
    Document document = adding ? loadDocument(file) : Document();
    const Session before = withAbsolutePaths(document.session(), file);
    Intake found = adding ? takeInto(before, paths, store) : takeIn(paths, store, tempo_);
    for (IntakeEntry& e : found.entries) {
        if (!as_.empty()) e.kind = rowKindFrom(as_);
    }
    if (isPack(like_)) {
        // What its layers play has to lie somewhere.
        like_ = unpackSession(like_, folderFor(like_, fs::absolute(file).parent_path()));
        out.say("The template lies in " + like_.parent_path().string());
    }
    LikeEarlier made;
    if (adding)
        made.session = withTakenIn(before, found);
    else if (!like_.empty())
        made = sessionLike(withAbsolutePaths(loadDocument(like_).session(), like_), found);
    else
        made.session = sessionFrom(found, store);
    const Session& session = made.session;
    if (adding)
        document.edit(withRelativePaths(session, file));
    else
        document = Document(withRelativePaths(session, file));
    saveDocument(file, document);
    const Json elements = tellEntries(out, found);
    out.machine({{"session", file.string()},
                 {"tempo", found.tempo},
                 {"tempo_confidence", found.tempoConfidence},
                 {"sample_rate", found.sampleRate},
                 {"elements", elements},
                 {"refused", found.refused},
                 {"remarks", made.remarks}});
    for (const std::string& remark : made.remarks) out.say(remark);
    out.say("Session " + file.string() + ": " + std::to_string(session.rows.size()) + " rows, " +
            numberText(found.tempo, 2) + " bpm");
}

}  // namespace ember::cli
