// Two mixes beside each other: heard in turn at the same loudness, without knowing which if wanted,
// in figures and in settings.
#pragma once

#include "app/compare/compare_figures.h"
#include "app/compare/mix_choice.h"
#include "app/compare/snapshot_list.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/blind_test.h"

#include <QComboBox>
#include <QSpinBox>
#include <QWidget>

#include <array>
#include <atomic>
#include <optional>

namespace ember::app {

class ComparePage : public QWidget {
    Q_OBJECT
  public:
    ComparePage(Workspace& workspace, Player& player, Listener& listener, ClipKeeper& clips,
                QWidget* parent = nullptr);
    ~ComparePage() override;

    [[nodiscard]] SnapshotList& snapshots() { return *snapshots_; }
    [[nodiscard]] CompareFigures& figures() { return *figures_; }
    // A snapshot, the mix as it is now (empty), or a set of microphones ("set:ID", planned anew
    // "anew:ID"), as the first (0) or the second (1).
    void choose(std::size_t side, const std::string& mix);
    // What there is now against a mix that is no one of those that are always offered, blind.
    void testBlindly(const MixChoice& other);
    // Whether nothing is measured at the moment.
    [[nodiscard]] bool settled() const { return !running_.isRunning(); }
    // With a seed of one's own, so that a test knows what is drawn.
    void startBlindTest(std::uint64_t seed);

  signals:
    void recordAsked();  // a record beside the mix in place of this

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void buildChoices(QVBoxLayout* box);
    void buildBlind(QVBoxLayout* box);
    void fillChoices();
    void arm();  // what is chosen becomes what the player keeps
    void measure();
    void measured();
    // What is on the keys, in their order.
    enum class Key { none = -1, a, b, x, change };
    static constexpr std::array kKeys{Key::a, Key::b, Key::x, Key::change};
    void hear(Key key);
    // What was B is A, and B has one part more: cumulative listening.
    void onePartFurther();
    void answer(bool saysB);
    void endBlindTest();
    void askPreference();
    void refreshHearing();
    [[nodiscard]] std::string chosen(std::size_t side) const;
    [[nodiscard]] std::optional<Session> mixOf(std::size_t side) const;
    [[nodiscard]] QString nameOf(std::size_t side) const;
    // Whether A and B are two mixes.
    [[nodiscard]] bool differ() const { return chosen(0) != chosen(1); }

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    ClipKeeper& clips_;
    SnapshotList* snapshots_ = nullptr;
    CompareFigures* figures_ = nullptr;
    std::array<QComboBox*, 2> sides_{};
    QComboBox* scope_ = nullptr;
    std::array<QPushButton*, 4> keys_{};
    QLabel* state_ = nullptr;
    QPushButton *again_ = nullptr, *blind_ = nullptr, *isA_ = nullptr, *isB_ = nullptr,
                *prefer_ = nullptr, *further_ = nullptr;
    QSpinBox *trials_ = nullptr, *grown_ = nullptr;
    QLabel* test_ = nullptr;
    std::optional<BlindTest> blindTest_;
    Key key_ = Key::none;  // what is to be heard
    Errand<Outcome<MixComparison>> running_;
    std::atomic<bool> abandon_{false};
    bool stale_ = true;               // what is shown is not what is chosen
    std::size_t kept_ = 0;            // snapshots among the choices
    std::optional<MixChoice> extra_;  // testBlindly()'s, offered until another session is opened
};

}  // namespace ember::app
