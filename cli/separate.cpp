#include "cli/separate.h"

#include "cli/edit.h"
#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/separate.h"
#include "core/session/bleed.h"
#include "core/session/file.h"

namespace ember::cli {

Session openSession(const std::filesystem::path& file) {
    Session session = withAbsolutePaths(loadDocument(file).session(), file);
    const AudioStore store;
    bringModelsFrom(session, store, file);
    return session;
}

SeparateCommand::SeparateCommand(CLI::App& app)
    : separate_(
          app.add_subcommand("separate", "what every drum gives every microphone, as files")) {
    separate_->add_option("session", session_)->required();
    separate_->add_option("--out", folder_, "folder for ROW__DRUM.wav and ROW__rest.wav")
        ->required();
    separate_->add_option("--rows", rows_, "these rows alone");
    samples_ = app.add_subcommand("samples", "a drum's clean strokes, cut out of its microphone");
    samples_->add_option("session", session_)->required();
    samples_->add_option("row", row_, "a close microphone")->required();
    samples_->add_option("--out", folder_, "folder for “DRUM v1 r1.wav” …")->required();
    samples_->add_option("--steps", cut_.steps, "of velocity")->check(CLI::Range(1, 16));
    samples_->add_option("--variations", cut_.variations, "of each step")->check(CLI::Range(1, 16));
    samples_->add_option("--longest", cut_.longest, "seconds of a sample")
        ->check(CLI::Range(0.1, 10.0));
    alone_ = app.add_subcommand(
        "alone", "a row that plays one drum of a microphone and feeds a bus: a reverb, or a key");
    alone_->add_option("session", session_)->required();
    alone_->add_option("row", row_, "a microphone")->required();
    alone_->add_option("drum", drum_)->required();
    alone_->add_option("--to", bus_, "the bus it feeds")->required();
}

void SeparateCommand::run(bool json) {
    if (*separate_) separate(Output{json});
    if (*samples_) cut(Output{json});
    if (*alone_) alone(Output{json});
}

void SeparateCommand::alone(const Output& out) {
    changeSession(out, session_, [this](Session session) {
        AudioStore store;
        bringModelsFrom(session, store, session_);
        const std::string model = bleedModelFor(withAbsolutePaths(session, session_), store),
                          row = rowByIdOrName(session, row_).id,
                          bus = rowByIdOrName(session, bus_).id;
        NewRow made = withDrumAlone(std::move(session), row, drum_, bus,
                                    findBleedModel(store, model)->drums, model);
        keepModelsBeside(made.session, store, session_);
        return std::move(made.session);
    });
}

void SeparateCommand::cut(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const auto model = findBleedModel(store, bleedModelFor(session, store));
    const std::vector<CutSample> samples =
        cutSamples(session, store, measureSessionStrokes(session, store).strokes, *model,
                   rowByIdOrName(session, row_).id, folder_, cut_);
    Json list = Json::array();
    for (const CutSample& s : samples) {
        list.push_back({{"file", s.file.string()},
                        {"time_s", s.time},
                        {"velocity", s.velocity},
                        {"step", s.step},
                        {"variation", s.variation},
                        {"seconds", s.seconds},
                        {"others_db", s.othersDb}});
        out.say(s.file.string() + ": " + numberText(s.seconds, 2) + " s, others " +
                numberText(s.othersDb, 0) + " dB");
    }
    out.machine({{"samples", list}});
}

void SeparateCommand::separate(const Output& out) {
    const Session session = openSession(session_);
    AudioStore store;
    const std::string hash = takeApart(session, store);
    std::vector<std::string> rows;
    for (const std::string& text : rows_) rows.push_back(rowByIdOrName(session, text).id);
    const auto model = findBleedModel(store, hash);
    const std::vector<PartFile> files = writeParts(session, store, *model, rows, folder_);
    Json list = Json::array();
    for (const PartFile& file : files) {
        list.push_back({{"row", file.row},
                        {"drum", file.drum},
                        {"file", file.file.string()},
                        {"rms_dbfs", file.loudnessDb}});
        out.say(file.file.string() + ": " + numberText(file.loudnessDb, 1) + " dBFS");
    }
    out.machine({{"model", hash}, {"drums", model->drums}, {"files", list}});
}

}  // namespace ember::cli
