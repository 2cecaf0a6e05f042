// The bench: one cell at full size, or a whole row or column of editors.
#pragma once

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
    void fillCopy();

    Bench bench_;
    BoardPlace place_;
    QLabel* title_ = nullptr;
    QScrollArea* scroll_ = nullptr;
    QToolButton *add_ = nullptr, *copy_ = nullptr;
    std::vector<StageEditor*> editors_;
    std::string built_;  // what the editors were built for: places and stage ids
};

}  // namespace ember::app
