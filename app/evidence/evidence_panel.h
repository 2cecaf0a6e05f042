// Beside the Board and the bench: what was measured for the selected cell, what is proposed, what
// it did.
#pragma once

#include "app/board/board.h"
#include "app/evidence/evidence_picture.h"
#include "app/evidence/evidence_question.h"
#include "app/evidence/evidence_target.h"
#include "app/workers/listener.h"
#include "app/workers/tracer.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <QWidget>

namespace ember::app {

class EvidencePanel : public QWidget {
    Q_OBJECT
  public:
    EvidencePanel(Workspace& workspace, Listener& listener, Tracer& tracer,
                  QWidget* parent = nullptr);
    void show(const BoardPlace& place);
    [[nodiscard]] const BoardPlace& place() const { return place_; }
    void refresh();

  signals:
    void adjustAsked(const ember::app::BoardPlace& place);

  private:
    [[nodiscard]] std::string stageId() const;
    void fillEffects(const Proposal* proposal);
    [[nodiscard]] std::string waysStep() const;
    // That there is no proposal, and why where that can be said.
    [[nodiscard]] QString nothingProposed(const Row& row) const;
    void fillSchools();
    [[nodiscard]] const Proposal* proposal() const;
    // The step of the work that the column stands for, as proposals name it; empty: none.
    [[nodiscard]] std::string step() const;

    Workspace& workspace_;
    Listener& listener_;
    Tracer& tracer_;
    BoardPlace place_;
    QScrollArea* scroll_;
    QWidget* body_;  // what is scrolled
    QLabel *row_, *title_, *facts_, *proposal_, *reason_, *schoolTitle_, *state_;
    EvidencePicture* picture_;
    EvidenceQuestion* question_;
    QWidget* effects_;
    QGridLayout* effectRows_;
    QPushButton *accept_, *adjust_, *decline_, *stop_, *acceptAll_;
    EvidenceTarget* target_;
    QComboBox* school_;
    QProgressBar* progress_;
};

}  // namespace ember::app
