// ember-cask-cli: the same jobs without a window. Exit status 0: done, 1: the job
// failed, 2: bad use. Errors are one sentence on stderr.

#include "cli/curve.h"
#include "cli/deliver.h"
#include "cli/edit.h"
#include "cli/freeze.h"
#include "cli/intake.h"
#include "cli/layers.h"
#include "cli/library.h"
#include "cli/measure.h"
#include "cli/output.h"
#include "cli/own.h"
#include "cli/prove.h"
#include "cli/reference.h"
#include "cli/render.h"
#include "cli/separate.h"
#include "cli/set.h"
#include "cli/sums.h"
#include "core/advise/recordings.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/collect.h"
#include "core/report/delivery.h"
#include "core/report/pack.h"
#include "core/session/file.h"
#include "demo/kit.h"
#include "demo/one_shots.h"

#include <CLI/CLI.hpp>

#include <iostream>
#include <optional>

namespace {

namespace fs = std::filesystem;
using namespace ember;
using cli::Json;
using cli::Output;

void simulate(const Output& out, const fs::path& folder, std::uint64_t seed, bool oneShots) {
    if (oneShots) {
        const auto files = demo::writeOneShots(folder);
        Json list = Json::array();
        for (const fs::path& file : files) list.push_back(file.string());
        out.machine({{"files", list}, {"midi", (folder / demo::kBeatFile).string()}});
        return out.say(std::to_string(files.size()) + " one-shots and " + demo::kBeatFile + " in " +
                       folder.string());
    }
    demo::KitOptions options;
    options.seed = seed;
    const demo::Recording recording = demo::record(options);
    const auto files = demo::writeRecording(recording, folder);
    Json list = Json::array();
    for (const fs::path& file : files) list.push_back(file.string());
    out.machine({{"files", list},
                 {"strokes", recording.strokes.size()},
                 {"truth", (folder / "truth.json").string()}});
    out.say(std::to_string(files.size()) + " files with " +
            std::to_string(recording.strokes.size()) + " strokes in " + folder.string());
}

// Into a folder, or into one file by its ending.
void collect(const Output& out, const fs::path& file, const fs::path& target, bool asTemplate) {
    const bool packed = isPack(target);
    if (asTemplate && !packed)
        throw Error("A template goes into one file: let its name end in " +
                    std::string(kPackEnding) + ".");
    const Document read = loadDocument(file);
    AudioStore store;
    bringModelsFrom(read.session(), store, file);
    const Document document(withAbsolutePaths(read.session(), file), read.log());
    const Collected done = packed ? packSession(document, store, target,
                                                asTemplate ? PackAs::likeness : PackAs::session)
                                  : collectSession(document, store, target);
    out.machine({{"session", done.session.string()},
                 {"files", done.files},
                 {"bytes", done.bytes},
                 {"missing", done.missing}});
    out.say(std::to_string(done.files) + " files and the session in " + target.string());
    for (const std::string& name : done.missing) out.say("missing: " + name);
}

void unpack(const Output& out, const fs::path& file, const fs::path& folder) {
    const fs::path session = unpackSession(file, folder);
    out.machine({{"session", session.string()}});
    out.say("The session " + session.string());
}

void show(const Output& out, const fs::path& file) {
    const Document document = loadDocument(file);
    const Session& s = document.session();
    if (out.json) {
        Json whole = Json::parse(toJson(document));
        out.machine(whole);
        return;
    }
    out.say(s.name + ": " + std::to_string(s.sampleRate) + " Hz, " + tempoText(s.time) + ", " +
            metreText(s.time));
    for (const Row& row : s.rows) {
        out.say(row.id + " (" + std::string(toString(row.kind)) + ", " +
                std::string(roleLabel(row.role)) + ")" +
                (row.parent.empty() ? "" : " → " + row.parent) + (row.mute ? ", muted" : "") +
                (row.solo ? ", solo" : ""));
        for (const Layer& layer : row.layers) {
            std::string line = "  layer " + layer.id + ": " + std::to_string(layer.sounds.size()) +
                               (layer.sounds.size() == 1 ? " sound" : " sounds");
            for (std::size_t i = 0; i < layer.values.size(); ++i) {
                const Parameter& p = layerTable()[i];
                if (layer.values[i] != p.standard)
                    line += ", " + p.id + " " + formatValue(p, layer.values[i]);
            }
            out.say(line);
        }
        for (const Send& send : row.sends)
            out.say("  → " + send.to + (send.on ? "" : " (off)") + ", level " +
                    numberText(send.levelDb, 1) + " dB, pan " + numberText(send.pan, 0) + " %, " +
                    (send.before ? "before" : "after") + " the fader");
        for (const Stage& stage : row.chain) {
            const ProcessorType& type = processorType(stage.type);
            std::string line = "  " + stage.id + (stage.on ? "" : " (off)");
            for (std::size_t i = 0; i < type.table.size(); ++i) {
                if (stage.values[i] != type.table[i].standard)
                    line +=
                        ", " + type.table[i].id + " " + formatValue(type.table[i], stage.values[i]);
            }
            if (stage.on || line.find(',') != std::string::npos) out.say(line);
        }
    }
    for (const LogEntry& entry : document.log())
        out.say("log: " + entry.what.text +
                (entry.reason.empty() ? "" : " (" + entry.reason + ")"));
}

void check(const Output& out, const fs::path& file) {
    const Session session = cli::openSession(file);
    AudioStore store;
    std::vector<std::string> problems;
    if (const std::string problem = validate(session); !problem.empty())
        problems.push_back(problem);
    for (const fs::path& changed : changedRecordings(session, store))
        problems.push_back(
            "“" + changed.string() +
            "” is not the recording it was: put the old one back or take it in anew.");
    for (const Row& row : session.rows) {
        eachRecording(row, [&](const Source& source) {
            try {
                if (source.channel >= AudioReader(source.file).info().channels)
                    problems.push_back("“" + source.file + "” has no channel " +
                                       std::to_string(source.channel + 1) + ".");
            } catch (const Error& e) {
                problems.push_back(row.name + ": " + e.what());
            }
        });
    }
    if (!isTakenApartAnew(session, store))
        problems.emplace_back(
            "Strokes, roles or recordings changed since the kit was taken apart: its bleed plays "
            "by "
            "what was measured then; take it apart anew (Flow, Bleed).");
    out.machine({{"sound", problems.empty()}, {"problems", problems}});
    for (const std::string& problem : problems) std::cerr << problem << "\n";
    if (!problems.empty())
        throw Error("The session needs attention in " + std::to_string(problems.size()) +
                    (problems.size() == 1 ? " place." : " places."));
    out.say("The session is sound and every recording is there, unchanged.");
}

// What the window looks over on its Logbook page; what would be wrong is a failure.
void checkBeforeDelivery(const Output& out, const fs::path& file) {
    const Session session = cli::openSession(file);
    AudioStore store;
    Json list = Json::array();
    std::vector<std::string> problems;
    for (const DeliveryCheck& c : checkDelivery(session, store)) {
        list.push_back({{"state", toString(c.state)},
                        {"what", c.what},
                        {"sentence", c.sentence},
                        {"row", c.row}});
        if (c.state == DeliveryCheck::State::problem)
            problems.push_back(c.sentence);
        else
            out.say((c.state == DeliveryCheck::State::fine ? "· " : "! ") + c.what + ": " +
                    c.sentence);
    }
    out.machine({{"checks", list}});
    for (const std::string& problem : problems) std::cerr << problem << "\n";
    if (!problems.empty()) throw Error("The mix is not ready to leave.");
}

// One parameter as a line of docs/processors.md.
std::string tableLine(const Parameter& p) {
    const bool choice = p.scale == Scale::choice || p.scale == Scale::toggle;
    std::string choices;
    for (const std::string& c : p.choices) choices += (choices.empty() ? "" : ", ") + c;
    return "| " + p.label + " | `" + p.id + "` | " +
           (choice ? (p.choices.empty() ? "off" : choices) : formatValue(p, p.minimum)) + " | " +
           (choice ? (p.choices.empty() ? "on" : "") : formatValue(p, p.maximum)) + " | " +
           formatValue(p, p.standard) + " | " + p.doc + " |";
}
constexpr const char* kTableHead =
    "| parameter | id | from | to | default | what it does |\n|---|---|---|---|---|---|";

// docs/processors.md: everything the parameter tables say.
void processors(const Output& out) {
    Json list = Json::array();
    out.say(
        "# Processors\n\nPrinted by `./run cli processors`; the tables are the ones the program "
        "itself reads.\n");
    for (const ProcessorType& type : processorTypes()) {
        Json parameters = Json::array();
        out.say("## " + type.label + " (`" + type.id + "`)\n\n" + type.doc +
                "\n\nSource: " + type.source + "\n\n" + kTableHead);
        for (const Parameter& p : type.table) {
            parameters.push_back({{"id", p.id},
                                  {"label", p.label},
                                  {"minimum", p.minimum},
                                  {"maximum", p.maximum},
                                  {"default", p.standard},
                                  {"choices", p.choices}});
            // The bands of the equaliser are alike.
            if (type.id == "eq" && p.id.front() == 'b' && !p.id.starts_with("b1.")) continue;
            out.say(tableLine(p));
        }
        if (type.id == "eq")
            out.say(
                "\nBands 2 to 16 (`b2` to `b16`) have the same parameters with other defaults.");
        out.say("");
        list.push_back({{"id", type.id},
                        {"label", type.label},
                        {"source", type.source},
                        {"parameters", parameters}});
    }
    out.say("## Layers of a row (`layer set`)\n\nSounds that strokes start.\n\n" +
            std::string(kTableHead));
    for (const Parameter& p : layerTable()) out.say(tableLine(p));
    out.say("");
    out.machine(list);
}

}  // namespace

int main(int argc, char** argv) {
    CLI::App app{
        "Ember Cask without a window: drum mixing that measures, proposes, proves and remembers."};
    app.name("ember-cask-cli");
    app.require_subcommand(1);
    app.set_version_flag("--version", EMBER_VERSION);
    app.fallthrough();
    Output out;
    app.add_flag("--json", out.json, "print what was done as JSON");

    std::string target, session, element, parameter, value, mix, stems;
    std::vector<std::string> inputs;
    std::uint64_t seed = 1;
    cli::RenderRequest request;

    auto* demoCommand = app.add_subcommand("demo", "simulate the demo recording");
    demoCommand->add_option("--out", target, "folder to write to")->required();
    demoCommand->add_option("--seed", seed, "another drummer, the same kit");
    bool oneShots = false;
    demoCommand->add_flag("--one-shots", oneShots, "single strokes and a MIDI file instead");
    cli::IntakeCommand intake(app);
    cli::DeliverCommand delivering(app);
    auto* showCommand = app.add_subcommand("show", "print a session");
    showCommand->add_option("session", session)->required();
    auto* setCommand = app.add_subcommand("set", "move one parameter of a session");
    setCommand->add_option("session", session)->required();
    setCommand->add_option("element", element, "row, by id or name")->required();
    setCommand
        ->add_option(
            "parameter", parameter,
            "PROCESSOR.PARAMETER, PROCESSOR.on, mute, solo, name, role, feeds (a bus), pair (the "
            "other row), sides (part or exchange), note, or (of the main row) style "
            "and way-STEP")
        ->required();
    setCommand->add_option("value", value)->required();
    auto* collectCommand = app.add_subcommand(
        "collect", "the session and everything it plays in one folder or file, to open elsewhere");
    collectCommand->add_option("session", session)->required();
    collectCommand
        ->add_option("--out", target, "a folder that is new or empty, or a file FILE.caskpack")
        ->required();
    bool asTemplate = false;
    collectCommand->add_flag("--template", asTemplate,
                             "without its song and its recordings, for others to begin as");
    auto* unpackCommand = app.add_subcommand("unpack", "a FILE.caskpack back into a folder");
    unpackCommand->add_option("file", session)->required();
    unpackCommand->add_option("--out", target, "a folder that is new or empty")->required();

    auto* renderCommand = app.add_subcommand("render", "render the mix");
    renderCommand->add_option("session", session)->required();
    renderCommand->add_option("--out", mix, "WAV or FLAC file to write, by its ending")->required();
    renderCommand->add_option("--stems", stems, "folder for stems (32-bit float)");
    renderCommand->add_option("--threads", request.options.threads, "worker threads")
        ->check(CLI::Range(1, 64));
    renderCommand->add_option("--block", request.options.block, "frames asked for at a time")
        ->check(CLI::Range(1, 1 << 20));
    renderCommand->add_option("--from", request.options.from, "seconds")
        ->check(CLI::Range(0.0, 1e6));
    renderCommand->add_option("--to", request.options.to, "seconds")->check(CLI::Range(0.0, 1e6));
    renderCommand->add_option("--depth", request.depth, "16, 24 or 32f")
        ->check(CLI::IsMember({"16", "24", "32f"}));
    renderCommand->add_flag("--guests", request.options.withGuests,
                            "guests are part of the file too");
    auto* loudnessCommand = app.add_subcommand("loudness", "measure a file after EBU R 128");
    loudnessCommand->add_option("file", target)->required();
    auto* checkCommand = app.add_subcommand("check", "look for what is wrong in a session");
    checkCommand->add_option("session", session)->required();
    bool delivery = false;
    checkCommand->add_flag("--delivery", delivery,
                           "render it once and look everything over before it leaves");

    cli::ListeningCommands listening(app);
    cli::EditCommands editing(app);
    cli::LayerCommands layering(app);
    cli::LibraryCommands shelf(app);
    cli::SeparateCommand separating(app);
    cli::FreezeCommand freezing(app);
    cli::OwnCommands own(app);
    cli::ReferenceCommand reference(app);
    cli::SumCommands sums(app);
    cli::ProveCommands proving(app);
    cli::CurveCommand drawing(app);
    auto* processorsCommand =
        app.add_subcommand("processors", "print every processor with its parameters");

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        if (e.get_exit_code() == 0) return app.exit(e);
        std::cerr << e.what() << " (--help lists what there is)\n";
        return 2;
    }
    try {
        if (*demoCommand) simulate(out, target, seed, oneShots);
        intake.run(out.json);
        delivering.run(out.json);
        if (*showCommand) show(out, session);
        if (*setCommand) cli::set(out, session, element, parameter, value);
        if (*collectCommand) collect(out, session, target, asTemplate);
        if (*unpackCommand) unpack(out, session, target);
        if (*renderCommand) {
            request.session = session;
            request.mix = mix;
            request.stems = stems;
            cli::render(out, request);
        }
        listening.run(out.json);
        editing.run(out.json);
        layering.run(out.json);
        shelf.run(out.json);
        separating.run(out.json);
        freezing.run(out.json);
        own.run(out.json);
        reference.run(out.json);
        sums.run(out.json);
        proving.run(out.json);
        drawing.run(out.json);
        if (*loudnessCommand) cli::loudness(out, target);
        if (*checkCommand) delivery ? checkBeforeDelivery(out, session) : check(out, session);
        if (*processorsCommand) processors(out);
        return 0;
    } catch (const std::exception& e) {
        std::cout.flush();
        std::cerr << e.what() << "\n";
        return 1;
    }
}
