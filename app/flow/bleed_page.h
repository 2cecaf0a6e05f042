// Bleed as a mixer: every drum in every microphone, turned up or down; starting points, and what is
// kept and taken to listen to.
#pragma once

#include "app/flow/bleed_advice.h"
#include "app/flow/bleed_mixer.h"
#include "app/widgets/parameter_field.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "core/advise/bleed_start.h"

#include <QCheckBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

#include <atomic>
#include <memory>
#include <optional>

namespace ember::app {

class BleedPage : public QWidget {
    Q_OBJECT
  public:
    BleedPage(Workspace& workspace, Listener& listener, Player& player, QWidget* parent = nullptr);
    ~BleedPage() override;
    [[nodiscard]] BleedMixer& mixer() { return *mixer_; }
    // Whether the kit is taken apart, so that drums can be turned.
    [[nodiscard]] bool ready() const { return !known_.empty() && mixer_->columnCount() > 0; }

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    QWidget* makePanel();
    QWidget* makeListening(QWidget* parent);
    void takeKitApart();
    void finish();
    void refresh();
    // What the line over the table says.
    [[nodiscard]] QString state(bool stale) const;
    void showPlace();
    void showFeed(const BleedMixer::Place& place);
    void fillAlone();
    void hear(std::optional<BleedHearing> what);
    void play();  // what is to be heard, once it is known how loud
    // What edits go by: what the session plays by already, or else what was measured last.
    [[nodiscard]] std::string model() const;

    Workspace& workspace_;
    Listener& listener_;
    Player& player_;
    BleedMixer* mixer_ = nullptr;
    QLabel *title_ = nullptr, *words_ = nullptr, *state_ = nullptr, *place_ = nullptr,
           *heard_ = nullptr, *listening_ = nullptr;
    QPushButton *anew_ = nullptr, *cancel_ = nullptr, *alone_ = nullptr, *space_ = nullptr;
    QWidget* listen_ = nullptr;  // what is for microphones alone
    BleedAdvice* advice_ = nullptr;
    std::vector<QPushButton*> starts_, hearings_;
    QVBoxLayout* fields_ = nullptr;
    std::vector<ParameterField*> shown_;
    std::string shownRow_;
    // What a run came to.
    struct Apart {
        std::string model, problem;  // one of them is empty
        std::vector<std::string> drums;
    };
    Errand<Apart> running_;
    std::atomic<bool> abandon_{false};
    std::shared_ptr<const KitMeasurement> of_;  // what known_ was taken apart by
    bool outdated_ = false;                     // another session was opened since the run began
    std::string known_, problem_;
    std::vector<std::string> drums_;
    std::optional<BleedHearing> hearing_;
    // The microphone's parts that are to be heard, and by how much they are turned.
    Session apart_;
    Errand<double> weighing_;
    std::atomic<bool> abandonWeighing_{false};
    QCheckBox* matched_ = nullptr;
};

}  // namespace ember::app
