// Transport, place, comparison and monitor, always in sight.
#pragma once

#include "app/workers/ear.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSlider>
#include <QToolButton>
#include <QWidget>

namespace ember::app {

class TopBar : public QWidget {
    Q_OBJECT
  public:
    TopBar(Workspace& workspace, Player& player, Listener& listener, const Ear& ear,
           QWidget* parent = nullptr);
    void tick();
    [[nodiscard]] CompareScope scope() const {
        return static_cast<CompareScope>(scope_->currentIndex());
    }
    void setComparing(bool before);
    void toggleLoop();
    // The cell whose decision the spots are ordered for.
    void setCell(const std::string& row, Column column);
    // Loops the next (+1) or previous (-1) spot for the cell; the first, when none is looped.
    void stepSpot(int direction);
    void loopSpot(const Spot& spot);
    // Keeps the loop as a spot of one's own.
    void noteSpot();
    [[nodiscard]] QMenu& spotMenu() { return *spot_->menu(); }

  signals:
    void compareAsked(bool before);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void refresh();
    // The note beside the comparison in the room it has: two lines, or one that is cut short.
    void fitNote(const QString& note);
    // Effects taken out by their key stand in the choice of what is compared, until they are back.
    void showScope();
    void fillSpots();
    [[nodiscard]] bool loops(const Spot& spot) const;

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    const Ear& ear_;
    QLabel *name_ = nullptr, *place_ = nullptr, *compareNote_ = nullptr, *monitorNote_ = nullptr;
    QPushButton *play_ = nullptr, *start_ = nullptr, *loop_ = nullptr, *before_ = nullptr;
    QComboBox* scope_ = nullptr;
    int chosenScope_ = -1;  // what was chosen before showScope; -1: nothing is put back
    QToolButton* spot_ = nullptr;
    std::string cellRow_;
    Column cellColumn_ = Column::seat;
    QSlider* monitor_ = nullptr;
};

// "12.3 · 0:25.4" for a song time.
QString placeText(const Session& session, double seconds);

}  // namespace ember::app
