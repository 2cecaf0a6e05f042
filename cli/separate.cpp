#include "cli/separate.h"

#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/separate.h"
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
}

void SeparateCommand::run(bool json) {
    if (!*separate_) return;
    const Output out{json};
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
