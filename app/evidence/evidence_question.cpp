#include "app/evidence/evidence_question.h"

#include "app/evidence/evidence_label.h"
#include "app/widgets/certainty.h"
#include "app/widgets/figures.h"

#include <QMenu>
#include <QPushButton>

namespace ember::app {

EvidenceQuestion::EvidenceQuestion(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("evidence-question");
    answers_ = new QVBoxLayout(this);
    answers_->setContentsMargins(0, 4, 0, 4);
    answers_->setSpacing(4);
}

void EvidenceQuestion::answer(const std::string& row, Role role, double sure) {
    auto* button =
        new QPushButton(tr("%1, %2 %").arg(roleName(role)).arg(figure(100.0 * sure, 0)), this);
    button->setAccessibleName(tr("It is: %1").arg(roleName(role)));
    connect(
        button, &QPushButton::clicked, this, [this, row, role] { workspace_.setRole(row, role); },
        Qt::QueuedConnection);
    answers_->addWidget(button);
}

void EvidenceQuestion::show(const Row* row) {
    while (QLayoutItem* item = answers_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    const bool asks = row != nullptr && isUnsure(*row);
    setVisible(asks);
    if (!asks) return;
    QLabel* words = evidenceLabel(this, 13, QFont::DemiBold, false);
    words->setText(tr("Who is this?"));
    answers_->addWidget(words);
    QLabel* why = evidenceLabel(this, 12, QFont::Normal, true);
    why->setText(
        row->role == Role::unknown && row->who.alternatives.empty()
            ? tr("Neither its name nor its sound tells. Nothing is proposed until you "
                 "say it.")
            : tr("Only %1 speaks for it. Nothing is proposed until you say it.")
                  .arg(groundsLabel(row->who).isEmpty() ? tr("a guess") : groundsLabel(row->who)));
    answers_->addWidget(why);
    for (const Likely& l : likeliest(*row)) answer(row->id, l.role, l.sure);
    auto* other = new QPushButton(tr("Something else …"), this);
    connect(
        other, &QPushButton::clicked, this,
        [this, other, id = row->id] {
            QMenu menu(this);
            for (const Role role : rolesToChoose())
                menu.addAction(roleName(role), this,
                               [this, id, role] { workspace_.setRole(id, role); });
            menu.exec(other->mapToGlobal(other->rect().bottomLeft()));
        },
        Qt::QueuedConnection);
    answers_->addWidget(other);
    for (int i = 0; i < answers_->count(); ++i) answers_->itemAt(i)->widget()->show();
}

}  // namespace ember::app
