// What every editor on the bench shares: its head, its numbers, and when it repaints.
#pragma once

#include "app/bench/plot.h"
#include "app/bench/stroke_strip.h"
#include "app/widgets/parameter_field.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/printer.h"
#include "app/workers/tracer.h"

#include <QGridLayout>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

namespace ember::app {

// What the editors need of the application.
struct Bench {
    Workspace& workspace;
    Player& player;
    Tracer& tracer;
    Listener& listener;
    Printer& printer;
};

enum class EditorSize { full, compact };

class StageEditor : public QWidget {
    Q_OBJECT
  public:
    StageEditor(Bench bench, std::string row, std::string stage, EditorSize size,
                QWidget* parent = nullptr);
    ~StageEditor() override;

    [[nodiscard]] const std::string& rowId() const { return row_; }
    [[nodiscard]] const std::string& stageId() const { return stage_; }
    // The plot that holds the draggable handles.
    [[nodiscard]] virtual Plot* mainPlot() const = 0;
    // Session, measurements or look changed: read everything again.
    void refresh();
    // About 30 times a second.
    virtual void tick() {}
    // The head by which the step is dragged along its chain.
    [[nodiscard]] QWidget* grip() const { return title_; }

  signals:
    // The head is dragged, then let go; where, on the screen.
    void dragged(const QPoint& at);
    void dropped(const QPoint& at);

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;
    // Rebuild curves, handles and sentences from session and trace.
    virtual void redraw() = 0;

    [[nodiscard]] const Row& row() const;
    [[nodiscard]] const Stage& stage() const;
    [[nodiscard]] bool alive() const;  // false when row or stage was removed meanwhile
    [[nodiscard]] int stageIndex() const;
    [[nodiscard]] const StageTrace* trace() const;  // valid until the next refresh
    [[nodiscard]] double value(int index) const {
        return stage().values[static_cast<std::size_t>(index)];
    }
    [[nodiscard]] double secondsPerBlock() const;
    [[nodiscard]] const Parameter& parameter(int index) const;
    // "Threshold −27.0 dB".
    [[nodiscard]] QString told(int index) const;
    // Sets a parameter from a drag, kept within its range.
    void put(int index, double value);
    void reset(int index);

    // Adds a field to the numbers; secondary ones are left out of compact editors.
    void addField(int index, const QString& label = {}, bool secondary = false);
    void addNote(QLabel* label);
    // One stroke before and after, under the plots; in full editors only.
    void addStroke(bool level, bool attacks, int stretch);
    [[nodiscard]] StrokeStrip* strip() const { return strip_; }
    // A sentence under the plot.
    void say(const QString& sentence);
    [[nodiscard]] QVBoxLayout* plots() { return plots_; }
    [[nodiscard]] QVBoxLayout* numbers() { return numbers_; }

    Bench bench_;
    std::string row_, stage_;
    EditorSize size_;
    std::vector<ParameterField*> fields_;

  private:
    void buildHead(QVBoxLayout* outer);
    void buildKey(QHBoxLayout* head);
    // The parameter by which the stage gives back level, -1 where it has none.
    [[nodiscard]] int trimIndex() const;
    // Sets it so that the stage leaves the loudness it was given, over what is looped or shown.
    void keepLevel();

    QVBoxLayout *plots_ = nullptr, *numbers_ = nullptr;
    QLabel *title_ = nullptr, *sentence_ = nullptr;
    QPoint grabbed_;  // where the head was pressed, on the screen
    bool dragging_ = false;
    QCheckBox* on_ = nullptr;
    StrokeStrip* strip_ = nullptr;
    QPushButton* keep_ = nullptr;
    Errand<double> matching_;   // loudness with the stage less without, dB
    QComboBox* key_ = nullptr;  // what drives the detector; null where there is none
    std::shared_ptr<const RowTrace> held_;
};

// The editor for a stage's type.
StageEditor* makeEditor(Bench bench, const std::string& row, const std::string& stage,
                        EditorSize size, QWidget* parent = nullptr);

// The two bars of a row with most going on, or the loop: what a picture of it shows first.
struct Span {
    double from = 0.0, to = 4.0;
};
Span pictureSpan(const Session& session, const std::vector<float>& peaks, double secondsPerBlock);

// Level over time, drawn from the blocks that are in view.
class HistoryPlot : public Plot {
    Q_OBJECT
  public:
    explicit HistoryPlot(QWidget* parent = nullptr);
    // All in linear level but gain (dB, shown from gainFloor to gainTop); any may be null. The data
    // must outlive the next call.
    void setData(const std::vector<float>* level, const std::vector<float>* result,
                 const std::vector<float>* gainDb, double secondsPerBlock, double gainFloor,
                 double gainTop = 0.0);
    void showSpan(const Span& span);
    void setPlayhead(double seconds);
    void applyColours();

  signals:
    // A stretch of the song dragged with Shift held, in seconds; later end second.
    void spanDragged(double from, double to);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    void fill();
    void drawSpan(double to);

    const std::vector<float>*level_ = nullptr, *result_ = nullptr, *gain_ = nullptr;
    double secondsPerBlock_ = 1.0;
    QCPGraph *levelGraph_, *resultGraph_, *gainGraph_, *base_;
    QCPItemLine* playhead_;
    bool spanShown_ = false;
    QCPItemRect* span_ = nullptr;  // while one is dragged
    double spanFrom_ = 0.0;
};

}  // namespace ember::app
