// What the page of layers is made of.

#include "app/layers/layers_page.h"
#include "app/layers/print_dialog.h"
#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "core/base/error.h"
#include "core/session/layers.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {

QWidget* LayersPage::buildHead() {
    auto* head = new QWidget(this);
    auto* across = new QHBoxLayout(head);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(8);
    across->addWidget(titleLabel(tr("Layers of"), head));
    rows_ = new QComboBox(head);
    rows_->setObjectName("layers-row");
    rows_->setAccessibleName(tr("Row whose layers are shown"));
    rows_->setMinimumWidth(180);
    connect(rows_, &QComboBox::activated, this,
            [this](int index) { open(rows_->itemData(index).toString().toStdString()); });
    across->addWidget(rows_);
    across->addStretch(1);
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* made = new QPushButton(text, head);
        made->setObjectName(name);
        made->setToolTip(tip);
        across->addWidget(made);
        return made;
    };
    add_ = button("layer-add", tr("Add sounds …"),
                  tr("A layer for each file that is chosen or dropped here."));
    connect(add_, &QPushButton::clicked, this, &LayersPage::askSounds);
    auto* shelf = button("layer-library", tr("Library"),
                         tr("Sounds in your folders: searched by words, by drum and by likeness, "
                            "heard, and taken into the stack."));
    connect(shelf, &QPushButton::clicked, this, [this] {
        try {
            openLibrary().show();
            openLibrary().raise();
        } catch (const Error& error) {
            emit said(QString::fromUtf8(error.what()));
        }
    });
    line_ = button("layer-line-up", tr("Line up"),
                   tr("Moves and turns every layer so that it adds to the leading one: the loudest "
                      "that gives body. What shares nothing with it stays where it is."));
    connect(line_, &QPushButton::clicked, this, &LayersPage::lineUp);
    weigh_ = button("layer-weigh", tr("What is missed?"),
                    tr("Mutes each layer in turn in the whole mix, at the same loudness, and says "
                       "what the first 50 ms of its strokes lose."));
    connect(weigh_, &QPushButton::clicked, this, &LayersPage::weigh);
    print_ = button("layer-print", tr("Print …"),
                    tr("The stack as samples, one or a set by velocity, with what it is made of."));
    connect(print_, &QPushButton::clicked, this, [this] {
        auto* dialog = new PrintStackDialog(workspace_, row_, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->show();
    });
    auto* pads = button("layer-pads", tr("Pads"),
                        tr("Strikes every row of layers by hand, on the screen or by keys, while "
                           "the song plays or stands."));
    pads->setCheckable(true);
    connect(pads, &QPushButton::toggled, this, [this](bool on) { pads_->setVisible(on); });
    auto* support =
        button("layer-support", tr("Under a drum"),
               tr("Sounds that the strokes of a drum start, in a row of their own: they "
                  "support what was recorded, and never touch it."));
    drums_ = new QMenu(support);
    connect(drums_, &QMenu::aboutToShow, this, &LayersPage::fillDrums);
    support->setMenu(drums_);
    return head;
}

QWidget* LayersPage::buildPanel() {
    auto* panel = new QWidget(this);
    panel->setFixedWidth(292);
    auto* box = new QVBoxLayout(panel);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    auto* title = new QHBoxLayout;
    fieldsTitle_ = new QLabel(panel);
    fieldsTitle_->setProperty("title", true);
    fieldsTitle_->setTextFormat(Qt::PlainText);
    fieldsTitle_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    title->addWidget(fieldsTitle_, 1);
    quiet_ = new QPushButton(tr("Just missed"), panel);
    quiet_->setObjectName("layer-quiet");
    quiet_->setToolTip(
        tr("Sets the chosen layer as low as it can be and still be missed when it "
           "is muted: 1 dB in some band of the first 50 ms of its strokes."));
    auto* where = new QMenu(quiet_);
    where->addAction(tr("In the mix"), this, [this] { quieten(false); });
    where->addAction(tr("Among the layers of its row"), this, [this] { quieten(true); });
    quiet_->setMenu(where);
    title->addWidget(quiet_);
    box->addLayout(title);
    fields_ = new LayerFields(workspace_, panel);
    box->addWidget(fields_, 1);
    return panel;
}

void LayersPage::build(PadOptions pads) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 8, 14, 8);
    outer->setSpacing(8);
    outer->addWidget(buildHead());
    states_ = new QStackedWidget(this);
    auto* nothing = new QLabel(
        tr("No row has layers yet. Put sounds under a drum: its strokes start them, softer where "
           "it "
           "was struck softly, and ghost notes are left alone. Or make a programmed kit of a "
           "folder of one-shots (Session menu)."),
        states_);
    nothing->setWordWrap(true);
    nothing->setAlignment(Qt::AlignCenter);
    nothing->setProperty("quiet", true);
    nothing->setMargin(80);
    states_->addWidget(nothing);
    auto* stack = new QWidget(states_);
    auto* across = new QHBoxLayout(stack);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    plot_ = new StackPlot(stack);
    left->addWidget(plot_, 1);
    list_ = quietTable(
        {tr("Layer"), tr("Part"), tr("Level"), tr("Starts"), tr("Strokes"), tr("In the mix")},
        stack);
    list_->setObjectName("layer-list");
    list_->setAccessibleName(tr("Layers of the row"));
    list_->installEventFilter(this);
    list_->setFixedHeight(150);
    connect(list_, &QTableWidget::currentCellChanged, this, [this](int row, int, int before, int) {
        if (filling_ || row == before) return;
        fields_->show(row_, chosen());
        fieldsTitle_->setText(nameOf(chosen()));
        draw();
    });
    connect(list_, &QTableWidget::cellDoubleClicked, this, [this](int, int column) {
        if (column == kName) askName();
        if (column == kMix) toggle(Layer::on);
    });
    auto* below = new QHBoxLayout;
    below->setSpacing(12);
    below->addWidget(list_, 3);
    agreements_ = quietTable({tr("Together"), tr("Lows"), tr("Attack"), tr("Whole")}, stack);
    agreements_->setObjectName("layer-agreements");
    agreements_->setAccessibleName(tr("How each two layers add up"));
    agreements_->setFixedHeight(150);
    agreements_->setToolTip(tr(
        "Level of the sum against the sum of both powers: +3 dB, they agree wholly; 0, they have "
        "nothing to do with each other; below, one takes from the other."));
    below->addWidget(agreements_, 2);
    left->addLayout(below);
    words_ = new QLabel(stack);
    words_->setObjectName("layers-words");
    words_->setProperty("quiet", true);
    words_->setWordWrap(true);
    left->addWidget(words_);
    across->addLayout(left, 1);
    across->addWidget(buildPanel());
    states_->addWidget(stack);
    outer->addWidget(states_, 1);
    pads_ = new PadBoard(workspace_, player_, std::move(pads), this);
    pads_->hide();
    connect(pads_, &PadBoard::said, this, &LayersPage::said);
    outer->addWidget(pads_);
    connect(plot_, &StackPlot::offsetMoved, this, [this](double ms) {
        const Parameter& p = layerTable()[Layer::offset];
        const double to = std::clamp(ms, p.minimum, p.maximum);
        const std::string layer = chosen();
        workspace_.attempt(
            [&] { return withLayerValue(workspace_.session(), row_, layer, p.id, to); },
            row_ + "/" + layer + "/offset");
    });
    connect(plot_, &StackPlot::offsetReleased, this, [this] { workspace_.endGesture(); });
    connect(plot_, &StackPlot::offsetReset, this, [this] {
        workspace_.attempt(
            [&] { return withLayerValue(workspace_.session(), row_, chosen(), "offset", 0.0); });
    });
}

}  // namespace ember::app
