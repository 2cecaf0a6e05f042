// Which of several mixes is preferred: two at a time, equally loud, without being told which.
#pragma once

#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "core/report/preference_test.h"

#include <QDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace ember::app {

// While it is open the player keeps its mixes; whoever opened it says anew what it keeps.
class PreferenceDialog : public QDialog {
    Q_OBJECT
  public:
    // Weighed and heard at a row; empty: the whole mix.
    PreferenceDialog(Workspace& workspace, Player& player, Listener& listener, std::string scope,
                     const QString& scopeName, QWidget* parent = nullptr);

    [[nodiscard]] QListWidget& mixes() { return *mixes_; }
    [[nodiscard]] QString text() const { return text_->text(); }
    // With a seed of one's own, so that a test knows what is drawn.
    void start(std::uint64_t seed);
    // Null before the start.
    [[nodiscard]] const PreferenceTest* test() const { return test_ ? &*test_ : nullptr; }

    void done(int result) override;

  private:
    [[nodiscard]] std::vector<int> ticked() const;
    void chosen();
    void nextTrial();
    void hear(std::size_t key);
    void answer(PreferenceTest::Answer answer);
    void finish();
    void refresh();

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    std::string scope_;
    QString scopeName_;
    QLabel *words_ = nullptr, *text_ = nullptr;
    QListWidget* mixes_ = nullptr;
    QSpinBox* rounds_ = nullptr;
    QPushButton* start_ = nullptr;
    std::array<QPushButton*, 2> keys_{};
    std::array<QPushButton*, 3> answers_{};
    QWidget *choosing_ = nullptr, *hearing_ = nullptr;
    std::vector<std::string> names_;                // of the mixes that are compared
    std::vector<std::optional<Session>> sessions_;  // theirs
    std::optional<PreferenceTest> test_;
    std::array<bool, 2> heard_{};  // in the open trial
};

}  // namespace ember::app
