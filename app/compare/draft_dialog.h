// A draft from a record to go through: which of its drums, played by which sound of one's own.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/draft.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTemporaryDir>

#include <filesystem>
#include <vector>

namespace ember::app {

// Candidates are what the library has that is most like the record's own strokes; any other file
// may be chosen.
class DraftDialog : public QDialog {
    Q_OBJECT
  public:
    DraftDialog(Workspace& workspace, Listener& listener, Player& player, ReferenceReading reading,
                std::filesystem::path index, QWidget* parent = nullptr);
    ~DraftDialog() override;

    [[nodiscard]] bool looking() const { return looking_.isRunning(); }
    [[nodiscard]] QString text() const { return words_->text(); }
    // A sound of one's own for a drum ("kick").
    void offer(const std::string& drum, const QString& file);

  private:
    struct Part {
        std::string drum;
        QCheckBox* wanted = nullptr;
        QComboBox* sound = nullptr;
    };
    using Candidates = std::vector<std::vector<std::filesystem::path>>;  // by part
    void found();
    void chooseFile(const Part& part);
    [[nodiscard]] std::vector<DraftPart> chosen() const;
    void hear(bool on);
    void make();
    void refresh();

    Workspace& workspace_;
    Listener& listener_;
    Player& player_;
    ReferenceReading reading_;
    std::filesystem::path index_;
    QTemporaryDir cuts_;
    QLabel* words_ = nullptr;
    QPushButton *hear_ = nullptr, *make_ = nullptr;
    std::vector<Part> parts_;
    Errand<Outcome<Candidates>> looking_;
};

}  // namespace ember::app
