#include "cli/layers.h"

#include "cli/edit.h"
#include "cli/separate.h"
#include "core/advise/programmed.h"
#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/engine/stack.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/sound/layer_align.h"
#include "core/measure/strokes/played.h"
#include "core/report/midi_write.h"
#include "core/report/stack_report.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/layers.h"

#include <algorithm>
#include <cmath>

namespace ember::cli {
namespace {

namespace fs = std::filesystem;

// One channel of a file at a rate, its sides mixed.
std::vector<float> monoOf(AudioStore& store, const fs::path& file, int rate) {
    const auto clip = store.open(file, rate);
    std::vector<float> out(clip->channel(0).begin(), clip->channel(0).end());
    for (int c = 1; c < clip->channels(); ++c) {
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += clip->channel(c)[i];
    }
    return out;
}

std::vector<Source> soundsOf(const std::vector<std::string>& files, AudioStore& store) {
    std::vector<Source> out;
    for (const std::string& file : files) {
        const fs::path path = fs::absolute(file).lexically_normal();
        const AudioReader reader(path);  // refuses what is no audio, with its sentence
        out.push_back({path.string(), store.contentHash(path)});
    }
    return out;
}

std::string requireRowName(const Session& session, const std::string& text) {
    if (findRow(session, text) != nullptr) return text;
    std::string known;
    for (const Row& row : session.rows) {
        if (row.name == text) return row.id;
        if (!row.layers.empty()) known += (known.empty() ? "" : ", ") + row.id;
    }
    throw Error("There is no row “" + text + "”; rows with layers are " +
                (known.empty() ? "none" : known) + ".");
}

}  // namespace

LayerCommands::LayerCommands(CLI::App& app) {
    kit_ = app.add_subcommand("kit", "make a session of a folder of one-shots");
    kit_->add_option("files", files_, "files or folders")->required();
    kit_->add_option("--midi", midi_, "a MIDI file with the notes");
    kit_->add_option("--out", target_, "session file to write")->required();
    addLayerCommands(app);
    addPatternCommands(app);
}

void LayerCommands::addLayerCommands(CLI::App& app) {
    CLI::App* layer = app.add_subcommand("layer", "stacks of sounds that strokes start");
    layer->require_subcommand(1);
    const auto command = [&](const char* name, const char* text) {
        CLI::App* sub = layer->add_subcommand(name, text);
        sub->add_option("session", session_)->required();
        sub->add_option("element", row_, "a row with layers, by id or name")->required();
        return sub;
    };
    align_ = layer->add_subcommand("align", "by how much B has to move, and whether it is turned");
    align_->add_option("first", file_, "A")->required();
    align_->add_option("second", other_, "B")->required();
    contributions_ = command("contributions", "what each layer gives the mix, muted in turn");
    quiet_ = command("quiet", "set a layer just loud enough to be missed in the mix");
    quiet_->add_option("layer", layer_, "its id")->required();
    quiet_->add_flag("--alone", alone_, "among the layers of its row instead");
    agreements_ = command("agree", "how each two layers add up");
    fit_ = command("fit", "line the layers up with the leading one, in time and polarity");
    add_ = command("add", "one layer more for each file");
    add_->add_option("files", files_)->required();
    add_->add_flag("--twins", twins_, "one layer that plays the files in turn");
    add_->add_option("--name", name_, "what the layer is called");
    support_ = layer->add_subcommand("support", "put layers under a drum, in a row of their own");
    support_->add_option("session", session_)->required();
    support_->add_option("drum", drum_, "by id or name")->required();
    support_->add_option("files", files_)->required();
    support_->add_option("--name", name_, "what the row is called");
    remove_ = command("remove", "take a layer away");
    remove_->add_option("layer", layer_, "its id")->required();
    set_ = command("set", "move one parameter of a layer");
    set_->add_option("parameter", layer_, "LAYER.PARAMETER, for example click.offset")->required();
    set_->add_option("value", value_)->required();
    print_ = command("print", "the stack as samples, with what it is made of");
    print_->add_option("--out", target_, "folder for the samples")->required();
    print_->add_option("--steps", printed_.steps, "of velocity")->check(CLI::Range(1, 16));
    print_->add_option("--variations", printed_.variations, "of each, in turn")
        ->check(CLI::Range(1, 16));
    print_->add_option("--longest", printed_.longest, "seconds of a sample")
        ->check(CLI::Range(0.1, 30.0));
    print_->add_flag("--flac", printed_.flac, "FLAC of 24 bit in place of WAV of 32-bit floats");
}

void LayerCommands::addPatternCommands(CLI::App& app) {
    CLI::App* pattern = app.add_subcommand("pattern", "the notes of a programmed part");
    pattern->require_subcommand(1);
    const auto command = [&](CLI::App* of, const char* name, const char* text) {
        CLI::App* sub = of->add_subcommand(name, text);
        sub->add_option("session", session_)->required();
        return sub;
    };
    show_ = command(pattern, "show", "every note, and what strikes one about them");
    humanise_ = command(pattern, "humanise", "let notes stray from the grid, within limits");
    humanise_->add_option("--timing", timing_, "ms at most, either way")
        ->check(CLI::Range(0.0, 100.0));
    humanise_->add_option("--velocity", velocity_, "percent at most, either way")
        ->check(CLI::Range(0.0, 100.0));
    humanise_->add_option("--seed", seed_, "another number, other notes");
    correct_ = command(pattern, "correct", "move only what is far off the grid");
    correct_->add_option("--limit", limit_, "ms off the grid from which a note is moved")
        ->check(CLI::Range(0.0, 500.0));
    correct_->add_option("--share", share_, "percent of what it is off")
        ->check(CLI::Range(0.0, 100.0));
    correct_->add_option("--grid", grid_, "steps a quarter note: 4 are sixteenths")
        ->check(CLI::Range(1, 48));
    CLI::App* midi = app.add_subcommand("midi", "notes from and to MIDI files");
    midi->require_subcommand(1);
    export_ = command(midi, "export", "write the pattern, or the strokes, as a MIDI file");
    export_->add_option("file", file_)->required();
    export_->add_flag("--strokes", strokes_, "the strokes that were heard, not the pattern");
    import_ = command(midi, "import", "take the notes of a MIDI file as the pattern");
    import_->add_option("file", file_)->required();
    import_->add_flag("--beside", beside_, "beside the notes that are there");
}

void LayerCommands::makeKit(const Output& out) {
    AudioStore store;
    const std::vector<fs::path> paths(files_.begin(), files_.end());
    const ProgrammedKit kit =
        programmedKit(paths, store, midi_.empty() ? std::nullopt : std::optional(midi_));
    saveDocument(target_, Document(withRelativePaths(kit.session, target_)));
    Json elements = Json::array();
    for (const KitSound& s : kit.sounds) {
        const Row* row = findRow(kit.session, s.row);
        elements.push_back({{"file", fs::path(s.file).filename().string()},
                            {"role", toString(s.role)},
                            {"sure", s.who.sure},
                            {"grounds", s.who.grounds},
                            {"row", s.row},
                            {"layer", s.layer},
                            {"drum_id", row != nullptr ? row->drum : std::string()},
                            {"articulation", s.articulation}});
        out.say(fs::path(s.file).filename().string() + ": " + std::string(roleLabel(s.role)) +
                (s.articulation != 0 ? ", struck another way" : "") +
                (s.who.sure >= kSureEnough ? "" : "; not sure"));
    }
    for (const std::string& sentence : kit.refused) std::cerr << sentence << "\n";
    for (const std::string& sentence : kit.remarks) out.say(sentence);
    const std::size_t notes = kit.session.pattern.get().notes.size();
    out.machine({{"session", target_.string()},
                 {"tempo", tempoAt(kit.session.time, kit.session.time.start)},
                 {"sample_rate", kit.session.sampleRate},
                 {"elements", elements},
                 {"notes", notes},
                 {"noticed", kit.remarks},
                 {"refused", kit.refused}});
    out.say("Session " + target_.string() + ": " + std::to_string(kit.session.rows.size()) +
            " rows, " + std::to_string(notes) + (notes == 1 ? " note" : " notes"));
}

void LayerCommands::align(const Output& out) {
    AudioStore store;
    const int rate = AudioReader(file_).info().sampleRate;
    const LayerAlignment a =
        alignLayers(monoOf(store, file_, rate), monoOf(store, other_, rate), rate);
    out.machine({{"shift_samples", a.shift},
                 {"flip", a.flip},
                 {"related", a.related},
                 {"confidence", a.confidence},
                 {"gain_db", a.gainDb}});
    if (!a.related) {
        out.say("The two share nothing that could be lined up (confidence " +
                numberText(a.confidence, 2) + ").");
        return;
    }
    out.say("Move the second by " + changeText(a.shift, 2) + " samples (" +
            changeText(1000.0 * a.shift / rate, 3) + " ms)" + (a.flip ? " and turn it over" : "") +
            ": the sum gains " + numberText(a.gainDb, 1) + " dB (confidence " +
            numberText(a.confidence, 2) + ").");
}

void LayerCommands::contributions(const Output& out) {
    AudioStore store;
    const Session session = openSession(session_);
    const std::string row = requireRowName(session, row_);
    const std::vector<double> bands = earBands();
    Json list = Json::array();
    for (const Contribution& c : layerContributions(session, store, row)) {
        Json figures = Json::array();
        for (std::size_t i = 0; i < bands.size(); ++i)
            figures.push_back({{"hertz", bands[i]}, {"db", c.bandsDb[i]}});
        list.push_back({{"layer", c.layer},
                        {"bands_db", figures},
                        {"missed", c.missed},
                        {"strokes", c.strokes}});
        const auto most =
            std::max_element(c.bandsDb.begin(), c.bandsDb.end(),
                             [](double a, double b) { return std::abs(a) < std::abs(b); });
        out.say(c.layer + ": " +
                (c.missed ? "missed; most near " +
                                numberText(
                                    bands[static_cast<std::size_t>(most - c.bandsDb.begin())], 0) +
                                " Hz, " + changeText(*most, 1) + " dB"
                          : std::string("would not be missed")));
    }
    out.machine(list);
}

void LayerCommands::quiet(const Output& out) {
    AudioStore store;
    changeSession(out, session_, [&](const Session& s) {
        const std::string row = requireRowName(s, row_);
        const QuietLevel found = quietLevel(openSession(session_), store, row, layer_, alone_);
        if (!found.reached)
            throw Error("Not even at its loudest would anybody miss “" + layer_ + "”.");
        return withLayerValue(s, row, layer_, "level", found.levelDb);
    });
}

void LayerCommands::agreements(const Output& out) {
    AudioStore store;
    const Session session = openSession(session_);
    const std::string row = requireRowName(session, row_);
    Json list = Json::array();
    for (const Agreement& a : layerAgreements(session, store, row)) {
        list.push_back({{"first", a.first},
                        {"second", a.second},
                        {"low_db", a.lowDb},
                        {"attack_db", a.attackDb},
                        {"whole_db", a.wholeDb}});
        out.say(a.first + " and " + a.second + ": low end " + changeText(a.lowDb, 1) +
                " dB, attack " + changeText(a.attackDb, 1) + " dB, whole " +
                changeText(a.wholeDb, 1) + " dB against the sum of their powers");
    }
    out.machine(list);
}

void LayerCommands::show(const Output& out) {
    const Session session = loadDocument(session_).session();
    const Pattern& pattern = session.pattern.get();
    Json notes = Json::array();
    for (const Note& n : pattern.notes) {
        const double at = secondsOf(pattern, n, session.time);
        notes.push_back({{"tick", n.tick},
                         {"ppq", pattern.pulses},
                         {"time_s", at},
                         {"drum", n.drum},
                         {"drum_id", n.drum},
                         {"drum_name", drumName(session, n.drum)},
                         {"velocity", n.velocity},
                         {"articulation", n.articulation},
                         {"length", n.length},
                         {"key", n.key}});
        const BarPlace place = placeAt(session.time, at);
        out.say("bar " + std::to_string(place.bar + 1) + " beat " +
                numberText(place.beat + 1.0, 3) + ": " + drumName(session, n.drum) + ", velocity " +
                numberText(n.velocity, 2));
    }
    const std::vector<std::string> said = noticed(pattern, session.time);
    out.machine({{"ppq", pattern.pulses}, {"notes", notes}, {"noticed", said}});
    for (const std::string& sentence : said) out.say(sentence);
    if (pattern.notes.empty()) out.say("The pattern is empty.");
}

void LayerCommands::exportMidi(const Output& out) {
    const Session session = openSession(session_);
    if (strokes_) {
        AudioStore store;
        std::vector<Stroke> strokes = session.strokes.get();
        if (strokes.empty()) strokes = measureSessionStrokes(session, store).strokes;
        writeStrokesMidi(session, strokes, file_);
    } else {
        if (session.pattern.get().notes.empty())
            throw Error("The pattern is empty; --strokes writes what was heard.");
        writePatternMidi(session, session.pattern.get(), file_);
    }
    out.machine({{"file", file_.string()}});
    out.say("Written: " + file_.string());
}

void LayerCommands::importMidi(const Output& out) {
    std::vector<std::string> remarks;
    changeSession(
        out, session_,
        [&](Session session) { return withMidiNotes(std::move(session), file_, beside_, remarks); },
        &remarks);
}

void LayerCommands::print(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const StackPrint made =
        printStack(session, store, requireRowName(session, row_), target_, printed_);
    Json samples = Json::array();
    for (const StackSample& s : made.samples) {
        samples.push_back({{"file", s.file.string()},
                           {"velocity", s.velocity},
                           {"step", s.step},
                           {"variation", s.variation},
                           {"seconds", s.seconds},
                           {"peak_dbfs", s.peakDb}});
        out.say(s.file.string() + ": " + numberText(s.seconds, 2) + " s, peak " +
                numberText(s.peakDb, 1) + " dBFS");
    }
    if (!made.map.empty()) out.say(made.map.string() + ": the set by velocity");
    out.say(made.recipe.string() + ": the stack, to be opened again");
    out.machine(
        {{"samples", samples}, {"map", made.map.string()}, {"recipe", made.recipe.string()}});
}

void LayerCommands::run(bool json) {
    const Output out{json};
    AudioStore store;
    if (*kit_) makeKit(out);
    if (*align_) align(out);
    if (*contributions_) contributions(out);
    if (*quiet_) quiet(out);
    if (*agreements_) agreements(out);
    if (*print_) print(out);
    if (*show_) show(out);
    if (*export_) exportMidi(out);
    if (*import_) importMidi(out);
    if (*fit_) {
        changeSession(out, session_, [&](const Session& s) {
            const std::string row = requireRowName(s, row_);
            return withLayerMoves(s, row, layerMoves(withAbsolutePaths(s, session_), store, row));
        });
    }
    if (*add_) {
        changeSession(out, session_, [&](Session s) {
            const std::string row = requireRowName(s, row_);
            std::vector<Source> sounds = soundsOf(files_, store);
            if (twins_) return withLayerAdded(std::move(s), row, std::move(sounds), name_);
            for (Source& sound : sounds)
                s = withLayerAdded(std::move(s), row, {std::move(sound)}, name_);
            return s;
        });
    }
    if (*support_) {
        changeSession(out, session_, [&](Session s) {
            // What was heard is what starts them.
            if (s.strokes.get().empty() && s.pattern.get().notes.empty())
                s = withStrokesHeard(std::move(s), session_);
            return withLayerRow(std::move(s), drum_, soundsOf(files_, store), name_).session;
        });
    }
    if (*remove_) {
        changeSession(out, session_, [&](Session s) {
            const std::string row = requireRowName(s, row_);
            return withLayerRemoved(std::move(s), row, layer_);
        });
    }
    if (*set_) {
        changeSession(out, session_, [&](Session s) {
            const auto dot = layer_.rfind('.');
            if (dot == std::string::npos)
                throw Error("“" + layer_ + "” names no parameter: write LAYER.PARAMETER.");
            const std::string id = layer_.substr(dot + 1), row = requireRowName(s, row_);
            const int index = parameterIndex(layerTable(), id);
            const double value = index < 0
                                     ? 0.0
                                     : parseValue(layerTable()[static_cast<std::size_t>(index)],
                                                  value_, tempoHere(s));
            return withLayerValue(std::move(s), row, layer_.substr(0, dot), id, value);
        });
    }
    if (*humanise_ || *correct_) {
        changeSession(out, session_, [&](Session s) {
            Pattern pattern = s.pattern.get();
            if (*humanise_) {
                pattern = humanised(std::move(pattern), s.time, {timing_, 0.01 * velocity_, seed_});
            } else {
                correctOutliers(pattern, s.time, grid_, limit_, 0.01 * share_);
            }
            s.pattern = Shared(std::move(pattern));
            return s;
        });
    }
}

}  // namespace ember::cli
