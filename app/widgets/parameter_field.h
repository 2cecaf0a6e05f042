// One parameter as a person meets it: a label to drag, a value to type, step and reset.
#pragma once

#include "app/workers/workspace.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include <functional>

namespace ember::app {

// A number with its unit; a time also takes note values ("1/8", dotted "1/8.", triplet "1/8t"),
// typed or from the menu. Enter takes what was typed; Up and Down step (Page: coarse,
// Shift: fine); Escape gives up; Delete on the label or a double click on it resets.
class NumberEdit : public QLineEdit {
    Q_OBJECT
  public:
    explicit NumberEdit(const Parameter& parameter, QWidget* parent = nullptr);
    // What note values count by, for times; without it they are refused.
    void setTempo(std::function<double()> tempo) { tempo_ = std::move(tempo); }
    // Its menu offers to draw it along the song.
    void setDrawable() { drawable_ = true; }
    [[nodiscard]] double value() const { return value_; }
    void setValue(double value);
    // Moves along the parameter's scale; 1 is the whole range.
    void step(double share, bool finished);
    void reset();

  signals:
    void moved(double value);  // while dragging or stepping
    void settled();            // the gesture is over
    void refused(const QString& sentence);
    void drawAsked();

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

  private:
    bool take();
    void takeText(const QString& text);
    void showRefused(bool refused);

    const Parameter& parameter_;
    std::function<double()> tempo_;
    double value_ = 0.0;
    bool drawable_ = false;
};

// The label in front of a number: drag it up for more, double-click it for the default.
class DragLabel : public QLabel {
    Q_OBJECT
  public:
    DragLabel(const QString& text, NumberEdit* edit, QWidget* parent = nullptr);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    NumberEdit* edit_;
    QPointF last_;
    bool dragged_ = false;
};

// Label and control of one parameter, bound to the workspace.
class ParameterField : public QWidget {
    Q_OBJECT
  public:
    // Where its value is read and put; `gesture`: while it is dragged or stepped.
    struct Access {
        std::function<double()> get;
        std::function<void(double value, bool gesture)> put;
    };
    // `label` empty: the table's own.
    ParameterField(Workspace& workspace, const Parameter& parameter, Access access,
                   const QString& label = {}, QWidget* parent = nullptr);
    // Of a stage.
    ParameterField(Workspace& workspace, const std::string& row, const std::string& stage,
                   const Parameter& parameter, const QString& label = {},
                   QWidget* parent = nullptr);
    // Reads the session again.
    void refresh();
    [[nodiscard]] const std::string& parameterId() const { return parameter_.id; }

  private:
    // Where a curve may move it: a stage's parameter that has a value to type.
    void offerCurve(const CurvePlace& place);
    void showCurve();

    Workspace& workspace_;
    const Parameter& parameter_;
    Access access_;
    CurvePlace curve_;  // without a row: no curve may move it
    QString text_;
    DragLabel* label_ = nullptr;
    NumberEdit* number_ = nullptr;
    QComboBox* choice_ = nullptr;
    QCheckBox* toggle_ = nullptr;
};

// "low-shelf" -> "Low shelf".
QString spoken(const std::string& id);

}  // namespace ember::app
