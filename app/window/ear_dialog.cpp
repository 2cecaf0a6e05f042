#include "app/window/ear_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLocale>
#include <QPushButton>

namespace ember::app {

EarDialog::EarDialog(Ear& ear, QWidget* parent) : QDialog(parent), ear_(ear) {
    setObjectName("ear");
    setWindowTitle(tr("Loud listening"));
    setMinimumWidth(440);
    auto* form = new QFormLayout(this);
    form->setSpacing(8);
    form->addRow(titleLabel(tr("How long you listened loud"), this));
    days_ = new QLabel(this);
    days_->setObjectName("ear-days");
    days_->setWordWrap(true);
    form->addRow(days_);
    auto* limit = new QSpinBox(this);
    limit->setObjectName("ear-limit");
    limit->setAccessibleName(tr("Loud minutes a day that you allow yourself"));
    limit->setRange(0, static_cast<int>(Ear::kMostMinutes));
    limit->setSingleStep(5);
    limit->setSuffix(tr(" min a day"));
    limit->setSpecialValueText(tr("none"));
    limit->setValue(static_cast<int>(ear_.limit()));
    connect(limit, &QSpinBox::valueChanged, this, [this](int minutes) { ear_.setLimit(minutes); });
    form->addRow(tr("Limit of your own"), limit);
    auto* note = quietLabel(this, "ear-note");
    note->setText(tr(
        "Loud is what leaves the monitor over −18 dBFS on average; how loud that is in your room "
        "this program cannot know. It reminds you to rest and to change the level, and is no "
        "medical advice. All of this is kept on this machine only."));
    form->addRow(note);
    auto* buttons = new QDialogButtonBox(this);
    auto* forget = buttons->addButton(tr("Forget all"), QDialogButtonBox::ResetRole);
    forget->setObjectName("ear-forget");
    forget->setAutoDefault(false);
    buttons->addButton(QDialogButtonBox::Close)->setText(tr("Close"));
    connect(forget, &QPushButton::clicked, this, [this] {
        ear_.forget();
        refresh();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
    refresh();
}

void EarDialog::refresh() {
    const QDate today = QDate::currentDate();
    QString text = tr("Today %1 minutes, the last seven days %2.")
                       .arg(figure(ear_.minutesOn(today), 0), figure(ear_.minutesInWeek(today), 0));
    for (int back = 1; back < 7; ++back) {
        const QDate day = today.addDays(-back);
        if (ear_.minutesOn(day) < 0.5) continue;
        text += tr("\n%1: %2 minutes")
                    .arg(QLocale().dayName(day.dayOfWeek()), figure(ear_.minutesOn(day), 0));
    }
    days_->setText(text);
}

}  // namespace ember::app
