#include "app/window/guide_bar.h"

#include "app/widgets/labels.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include <utility>

namespace ember::app {

GuideBar::GuideBar(std::vector<GuideStep> walk, QWidget* parent)
    : QFrame(parent), steps_(std::move(walk)) {
    setObjectName("guide");
    setAccessibleName(tr("Guide"));
    setFrameShape(QFrame::StyledPanel);
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(14, 8, 14, 8);
    across->setSpacing(12);
    auto* words = new QVBoxLayout;
    words->setSpacing(2);
    title_ = titleLabel({}, this);
    words->addWidget(title_);
    text_ = quietLabel(this, "guide-text");
    // As high as its longest step, so that nothing jumps above it.
    text_->setMinimumHeight(3 * text_->fontMetrics().lineSpacing());
    text_->setAlignment(Qt::AlignTop);
    words->addWidget(text_);
    across->addLayout(words, 1);
    back_ = namedButton(tr("Back"), "guide-back", {}, this);
    connect(back_, &QPushButton::clicked, this, [this] { go(at_ - 1); });
    across->addWidget(back_);
    next_ = namedButton(tr("Next"), "guide-next", {}, this);
    connect(next_, &QPushButton::clicked, this, [this] { go(at_ + 1); });
    across->addWidget(next_);
    auto* end =
        namedButton(tr("Enough"), "guide-end", tr("Closes the guide; Help opens it again."), this);
    connect(end, &QPushButton::clicked, this, [this] { go(steps()); });
    across->addWidget(end);
    hide();
}

void GuideBar::begin() {
    show();
    go(0);
}

void GuideBar::go(int step) {
    if (step < 0) return;
    if (step >= steps()) {
        hide();
        emit ended();
        return;
    }
    at_ = step;
    const GuideStep& now = steps_[static_cast<std::size_t>(at_)];
    title_->setText(tr("%1 of %2 · %3").arg(at_ + 1).arg(steps()).arg(now.title));
    text_->setText(now.text);
    back_->setEnabled(at_ > 0);
    next_->setText(at_ + 1 < steps() ? tr("Next") : tr("Done"));
    now.show();
}

}  // namespace ember::app
