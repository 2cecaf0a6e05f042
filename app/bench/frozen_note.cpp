#include "app/bench/frozen_note.h"

#include "app/theme/theme.h"
#include "core/session/recipe.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLocale>

namespace ember::app {

FrozenNote::FrozenNote(Workspace& workspace, Player& player, Printer& printer, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), printer_(printer) {
    setObjectName("frozen-note");
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(14, 2, 10, 2);
    line->setSpacing(8);
    label_ = new QLabel(this);
    line->addWidget(label_, 1);
    anew_ = new QPushButton(tr("Print anew"), this);
    anew_->setObjectName("frozen-anew");
    anew_->setToolTip(tr("Prints what the row is now, and plays that."));
    connect(anew_, &QPushButton::clicked, this, [this] {
        printer_.freeze({row_});
        refresh();
    });
    line->addWidget(anew_);
    live_ = new QPushButton(tr("Play live"), this);
    live_->setObjectName("frozen-live");
    live_->setToolTip(tr("Lets go of the print; undo brings it back."));
    connect(live_, &QPushButton::clicked, this, [this] { printer_.playLive({row_}); });
    line->addWidget(live_);
    connect(&workspace_, &Workspace::changed, this, &FrozenNote::refresh);
    connect(&player_, &Player::planReady, this, &FrozenNote::refresh);
    connect(&printer_, &Printer::progressed, this, &FrozenNote::refresh);
    connect(&printer_, &Printer::ended, this, &FrozenNote::refresh);
    hide();
}

void FrozenNote::setRow(const std::string& row) {
    row_ = row;
    refresh();
}

void FrozenNote::refresh() {
    const Row* row = findRow(workspace_.session(), row_);
    const bool rests = row != nullptr && player_.gives(row_) == Plan::Gives::nothing;
    setVisible(row != nullptr && (row->frozen || rests));
    if (!isVisibleTo(parentWidget())) return;
    const bool fits = row->frozen && printFits(workspace_.session(), *row);
    live_->setVisible(row->frozen.has_value());
    live_->setText(fits ? tr("Play live") : tr("Forget the print"));
    anew_->setVisible(row->frozen && !fits);
    anew_->setEnabled(!printer_.busy());
    if (rests)
        label_->setText(
            tr("This row rests: it is heard in nothing but a frozen bus. Edit it and "
               "that plays live again."));
    else if (fits)
        label_->setText(
            tr("Frozen: it plays what was printed on %1. Edit its chain and it plays "
               "live again.")
                .arg(QLocale().toString(QDateTime::fromSecsSinceEpoch(row->frozen->time),
                                        QLocale::ShortFormat)));
    else
        label_->setText(tr("Changed since it was printed, so it plays live."));
}

}  // namespace ember::app
