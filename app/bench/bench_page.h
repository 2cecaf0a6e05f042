// The bench: one cell at full size, or a whole row or column of editors.
#pragma once

#include "app/bench/control_strip.h"
#include "app/bench/frozen_note.h"
#include "app/bench/preset_button.h"
#include "app/bench/stage_editor.h"
#include "app/board/board.h"

#include <QLabel>
#include <QScrollArea>
#include <QToolButton>

namespace ember::app {

class BenchPage : public QWidget {
    Q_OBJECT
  public:
    explicit BenchPage(Bench bench, QWidget* parent = nullptr);

    void open(const BoardPlace& place);
    [[nodiscard]] const BoardPlace& place() const { return place_; }
    [[nodiscard]] const std::vector<StageEditor*>& editors() const { return editors_; }
    void refreshAll();
    void tick();

  signals:
    void left();                                                     // back to the Board
    void moved(const ember::app::BoardPlace& place);                 // to a neighbour
    void copyAsked(const std::string& from, const std::string& to);  // a whole chain

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void rebuild();
    void step(int rows, int columns);
    void fillAdd();
    QWidget* emptyStep(QWidget* parent);
    void fillCopy();
    [[nodiscard]] int placesTo(const StageEditor* editor, const QPoint& at) const;
    void showDrop(const StageEditor* editor, const QPoint& at);
    void drop(const StageEditor* editor, const QPoint& at);

    Bench bench_;
    BoardPlace place_;
    QLabel* title_ = nullptr;
    ControlStrip* controls_ = nullptr;
    FrozenNote* frozen_ = nullptr;
    QScrollArea* scroll_ = nullptr;
    QToolButton *add_ = nullptr, *copy_ = nullptr;
    PresetButton* chains_ = nullptr;
    QFrame* drop_ = nullptr;  // where a dragged editor would go
    std::vector<StageEditor*> editors_;
    std::string built_;  // what the editors were built for: places and stage ids
};

}  // namespace ember::app
