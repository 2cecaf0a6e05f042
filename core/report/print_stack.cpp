#include "core/report/print_stack.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/engine/print_row.h"
#include "core/report/cut_samples.h"
#include "core/session/file.h"
#include "core/session/graph.h"
#include "core/session/layers.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <ranges>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr double kFirstStroke = 1.0, kPause = 0.5;   // seconds: of the first stroke, behind a tail
constexpr double kUnderPeakDb = -90.0, kEnd = 0.01;  // where a tail ends; seconds of its fade

// The row alone, struck by nothing but a note for each sample.
Session struckAlone(const Session& session, const std::string& row,
                    const StackPrintOptions& options) {
    std::vector<std::string> needed;
    for (const Row* at : wayOut(session, row)) needed.push_back(at->id);
    Session alone = withRowsAndKeys(session, std::move(needed));
    alone.strokes = {};
    alone.strokeEdits.clear();
    alone.snapshots.clear();
    alone.loop = {};
    alone.time = steadyTime(120.0);
    alone.name = requireRow(alone, row).name + " recipe";
    Pattern pattern;
    // 120 quarters a minute: two of them are a second.
    const double every = options.longest + kPause;
    for (int step = 1; step <= options.steps; ++step) {
        for (int v = 0; v < options.variations; ++v) {
            Note note;
            const double at = kFirstStroke + every * static_cast<double>(pattern.notes.size());
            note.tick = std::llround(2.0 * at * pattern.pulses);
            note.drum = requireRow(alone, row).drum;
            note.velocity = static_cast<double>(step) / options.steps;
            pattern.notes.push_back(std::move(note));
        }
    }
    alone.pattern = Shared(std::move(pattern));
    return alone;
}

std::string recipeText(const Row& row) {
    std::string text = row.name + ", printed by Ember Cask of ";
    for (const Layer& layer : row.layers) {
        if (!layer.is(Layer::on)) continue;
        if (&layer != &row.layers.front()) text += "; ";
        text += layer.name + " (" + fs::path(layer.sounds.front().file).filename().string() +
                (layer.sounds.size() > 1 ? " and others in turn" : "") + "), " +
                changeText(layer.at(Layer::level), 1) + " dB";
        if (layer.at(Layer::offset) != 0.0)
            text += ", " + changeText(layer.at(Layer::offset), 2) + " ms";
        if (layer.at(Layer::pitch) != 0.0)
            text += ", " + changeText(layer.at(Layer::pitch), 2) + " semitones";
    }
    std::string chain;
    for (const Stage& stage : row.chain) {
        if (stage.on && !belongsToRow(stage))
            chain += (chain.empty() ? " through " : ", ") + processorType(stage.type).label;
    }
    return text + chain;
}

// How much earlier than its stroke a layer may begin, seconds.
double earliest(const Row& row) {
    double most = 0.0;
    for (const Layer& layer : row.layers) {
        if (layer.is(Layer::on)) most = std::max(most, -1e-3 * layer.at(Layer::offset));
    }
    return most + kCutAhead;
}

// A piece of what was played, its edges faded.
AudioBuffer cutOut(const AudioBuffer& from, double begin, double longest) {
    const double rate = from.sampleRate;
    const auto first = static_cast<std::size_t>(std::llround(begin * rate)),
               last = std::min(from.frames(), first + static_cast<std::size_t>(longest * rate));
    float peak = 0.0F;
    for (const auto& side : from.channels) {
        for (std::size_t i = first; i < last; ++i) peak = std::max(peak, std::abs(side[i]));
    }
    const auto quiet = peak * static_cast<float>(gainFromDb(kUnderPeakDb));
    std::size_t end = first;
    for (const auto& side : from.channels) {
        for (std::size_t i = first; i < last; ++i) {
            if (std::abs(side[i]) > quiet) end = std::max(end, i + 1);
        }
    }
    AudioBuffer out{rate, {}};
    const auto fade = static_cast<std::size_t>(kEnd * rate);
    for (const auto& side : from.channels) {
        std::vector<float> piece(side.begin() + static_cast<std::ptrdiff_t>(first),
                                 side.begin() + static_cast<std::ptrdiff_t>(end));
        for (std::size_t i = 0; i < std::min(fade, piece.size()); ++i) {
            const double left = static_cast<double>(i) / static_cast<double>(fade);
            piece[piece.size() - 1 - i] *=
                static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * left));
        }
        out.channels.push_back(std::move(piece));
    }
    return out;
}

double peakOf(const AudioBuffer& audio) {
    float peak = 0.0F;
    for (const auto& side : audio.channels) {
        for (const float v : side) peak = std::max(peak, std::abs(v));
    }
    return dbFromGain(static_cast<double>(peak));
}

// A set as SFZ: velocities side by side, variations in turn; levels are in the samples.
std::string mapText(const std::string& name, int key, const std::vector<StackSample>& samples,
                    const std::vector<SoundNotes>& notes, const StackPrintOptions& options) {
    std::string text = "// " + name + ", printed by Ember Cask: " + std::to_string(options.steps) +
                       " steps of velocity, " + std::to_string(options.variations) +
                       " in turn\n<group>\nkey=" + std::to_string(key) +
                       "\nloop_mode=one_shot\namp_veltrack=0\n";
    for (std::size_t i = 0; i < samples.size(); ++i) {
        text += "<region>\nsample=" + samples[i].file.filename().string() +
                "\nlovel=" + std::to_string(notes[i].lowVelocity) +
                "\nhivel=" + std::to_string(notes[i].highVelocity) + "\n";
        if (options.variations > 1)
            text += "seq_length=" + std::to_string(options.variations) +
                    "\nseq_position=" + std::to_string(samples[i].variation) + "\n";
    }
    return text;
}

// Takes away again what was written, unless it is kept.
class Written {
  public:
    ~Written() {
        std::error_code none;
        for (const fs::path& file : files_) fs::remove(file, none);
        if (made_) fs::remove(folder_, none);
    }
    explicit Written(fs::path folder) : folder_(std::move(folder)), made_(makeFolder(folder_)) {}
    Written(const Written&) = delete;
    Written& operator=(const Written&) = delete;

    // A file that is going to be there; refused where it is.
    fs::path file(const std::string& name) {
        fs::path path = folder_ / name;
        if (fs::exists(path))
            throw Error("“" + path.string() +
                        "” is there already; choose a folder without it, or another name.");
        return path;
    }
    void add(const fs::path& file) { files_.push_back(file); }
    void keep() {
        files_.clear();
        made_ = false;
    }

  private:
    fs::path folder_;
    bool made_;
    std::vector<fs::path> files_;
};

}  // namespace

StackPrint printStack(const Session& session, AudioStore& store, const std::string& id,
                      const fs::path& folder, const StackPrintOptions& options,
                      const Progress& progress) {
    const Row* row = findRow(session, id);
    if (row == nullptr || row->layers.empty())
        throw Error("Only a stack of layers is printed to samples; choose a row that has layers.");
    const Session recipe = struckAlone(session, id, options);
    Session alone = recipe;
    // A soft stroke here is no ghost note.
    for (Layer& layer : requireRow(alone, id).layers)
        layer.values[Layer::spareGhosts] = layer.values[Layer::spareFlams] = 0.0;
    const int key = usualKey(row->drum);
    Written written(folder);
    std::string name = row->name;
    std::ranges::replace(name, '/', '-');
    StackPrint out;
    std::vector<SoundNotes> notes;
    for (int step = 1; step <= options.steps; ++step) {
        for (int v = 1; v <= options.variations; ++v) {
            StackSample& sample = out.samples.emplace_back();
            const bool single = options.steps == 1 && options.variations == 1;
            sample.file = written.file(
                name + (single ? "" : " v" + std::to_string(step) + " r" + std::to_string(v)) +
                (options.flac ? ".flac" : ".wav"));
            sample.velocity = static_cast<double>(step) / options.steps;
            sample.step = step;
            sample.variation = v;
            notes.push_back({recipeText(*row), key, 1 + 127 * (step - 1) / options.steps,
                             127 * step / options.steps});
        }
    }
    if (out.samples.size() > 1) out.map = written.file(name + ".sfz");
    out.recipe = written.file(name + " recipe.cask");

    const Print print = printRow(alone, store, id, folder, 0, within(progress, 0.0, 0.9));
    written.add(print.audio.front().file);
    const AudioBuffer played = readAudio(print.audio.front().file);
    const double every = options.longest + kPause, ahead = earliest(*row);
    for (std::size_t i = 0; i < out.samples.size(); ++i) {
        StackSample& sample = out.samples[i];
        report(progress,
               0.9 + 0.1 * static_cast<double>(i) / static_cast<double>(out.samples.size()),
               sample.file.filename().string());
        const AudioBuffer cut =
            cutOut(played, kFirstStroke + every * static_cast<double>(i) - ahead, options.longest);
        if (cut.frames() == 0)
            throw Error("A stroke of velocity " + numberText(sample.velocity, 2) +
                        " starts nothing in “" + row->name +
                        "”; look at the rules of its layers, or print fewer steps.");
        sample.seconds = static_cast<double>(cut.frames()) / cut.sampleRate;
        sample.peakDb = peakOf(cut);
        if (options.flac && sample.peakDb > 0.0)
            throw Error("“" + sample.file.filename().string() + "” would clip by " +
                        numberText(sample.peakDb, 1) +
                        " dB: print to WAV, which holds it, or turn the layers down.");
        writeAudio(sample.file, cut, options.flac ? SampleDepth::pcm24 : SampleDepth::float32,
                   notes[i]);
        written.add(sample.file);
    }
    if (!out.map.empty()) {
        writeAtomically(out.map, mapText(row->name, key, out.samples, notes, options), false);
        written.add(out.map);
    }
    saveDocument(out.recipe, Document(withRelativePaths(recipe, out.recipe)));
    written.keep();
    std::error_code none;
    fs::remove(print.audio.front().file, none);
    return out;
}

}  // namespace ember
