#include "app/evidence/evidence_panel.h"

#include "app/evidence/evidence_facts.h"
#include "app/evidence/evidence_label.h"
#include "app/widgets/figures.h"
#include "core/advise/usual.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>
#include <QScrollBar>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <map>

namespace ember::app {
namespace {

constexpr int kWidth = 262;
QString valueOrDash(const std::optional<double>& value, const std::string& unit) {
    if (!value) return QStringLiteral("–");
    return figure(*value, unit == "%" ? 0 : 1) + " " + QString::fromStdString(unit);
}

}  // namespace

EvidencePanel::EvidencePanel(Workspace& workspace, Listener& listener, Tracer& tracer,
                             QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener), tracer_(tracer) {
    setObjectName("evidence");
    setFixedWidth(kWidth);
    // What does not fit is scrolled to, never laid over what is there.
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    body_ = new QWidget(scroll_);
    auto* box = new QVBoxLayout(body_);
    scroll_->setWidget(body_);
    outer->addWidget(scroll_);
    box->setContentsMargins(14, 12, 14, 12);
    box->setSpacing(6);
    row_ = evidenceLabel(this, 12, QFont::Normal, true);
    title_ = evidenceLabel(this, 16, QFont::DemiBold, false);
    facts_ = evidenceLabel(this, 12, QFont::Normal, false);
    picture_ = new EvidencePicture(this);
    proposal_ = evidenceLabel(this, 13, QFont::DemiBold, false);
    reason_ = evidenceLabel(this, 12, QFont::Normal, false);
    state_ = evidenceLabel(this, 12, QFont::Normal, true);
    question_ = new EvidenceQuestion(workspace, this);
    effects_ = new QWidget(this);
    effectRows_ = new QGridLayout(effects_);
    effectRows_->setContentsMargins(0, 4, 0, 4);
    effectRows_->setHorizontalSpacing(8);
    effectRows_->setVerticalSpacing(3);
    effectRows_->setColumnStretch(0, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    progress_->setFixedHeight(6);
    stop_ = new QPushButton(tr("Stop listening"), this);
    accept_ = new QPushButton(tr("Accept"), this);
    adjust_ = new QPushButton(tr("Adjust"), this);
    decline_ = new QPushButton(tr("Decline"), this);
    accept_->setObjectName("evidence-accept");
    decline_->setObjectName("evidence-decline");
    accept_->setToolTip(tr("Sets what is proposed and measures what it did (A on the Board)."));
    adjust_->setToolTip(tr("Opens the bench to set it yourself."));
    decline_->setToolTip(tr("It is not proposed again; undo brings it back."));
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    for (QPushButton* b : {accept_, adjust_, decline_}) buttons->addWidget(b);
    schoolTitle_ = evidenceLabel(this, 12, QFont::Normal, true);
    schoolTitle_->setText(tr("Way of working"));
    school_ = new QComboBox(this);
    school_->setObjectName("evidence-school");
    school_->setAccessibleName(schoolTitle_->text());
    for (QWidget* w :
         std::initializer_list<QWidget*>{row_, title_, question_, facts_, progress_, stop_,
                                         picture_, proposal_, reason_, effects_, state_})
        box->addWidget(w);
    box->addLayout(buttons);
    acceptAll_ = new QPushButton(this);
    acceptAll_->setObjectName("evidence-accept-all");
    acceptAll_->setToolTip(
        tr("Everything that is still proposed of this step, as one edit; each is "
           "then measured."));
    box->addWidget(acceptAll_);
    target_ = new EvidenceTarget(workspace, this);
    box->addWidget(target_);
    box->addSpacing(8);
    box->addWidget(schoolTitle_);
    box->addWidget(school_);
    box->addStretch(1);

    connect(&listener_, &Listener::changed, this, &EvidencePanel::refresh);
    connect(&tracer_, &Tracer::traced, this, [this](const QString& row) {
        if (row.toStdString() == place_.row && place_.column == Column::seat) refresh();
    });
    connect(
        &listener_, &Listener::progressed, this,
        [this](double fraction, const QString& what) {
            progress_->setValue(static_cast<int>(1000.0 * fraction));
            state_->setText(tr("Listening to the kit: %1").arg(what));
        },
        Qt::QueuedConnection);
    connect(stop_, &QPushButton::clicked, this, [this] {
        if (listener_.listening())
            listener_.cancel();
        else
            listener_.start();
    });
    connect(accept_, &QPushButton::clicked, this, [this] {
        if (const Proposal* p = proposal()) listener_.accept(*p);
    });
    connect(decline_, &QPushButton::clicked, this, [this] {
        if (const Proposal* p = proposal()) listener_.decline(*p);
    });
    connect(acceptAll_, &QPushButton::clicked, this, [this] { listener_.acceptAll(step()); });
    connect(adjust_, &QPushButton::clicked, this, [this] { emit adjustAsked(place_); });
    connect(school_, &QComboBox::activated, this, [this](int index) {
        Session next = workspace_.session();
        const std::string step = waysStep();
        if (step.empty()) return;
        for (const auto& [name, ways] : waysByStep()) {
            if (name == step)
                next = withWay(std::move(next), name, ways[static_cast<std::size_t>(index)]);
        }
        workspace_.edit(std::move(next));
    });
    refresh();
}

void EvidencePanel::show(const BoardPlace& place) {
    place_ = place;
    refresh();
}

// The first stage of the row whose home is the selected column.
std::string EvidencePanel::stageId() const {
    const Row* row = findRow(workspace_.session(), place_.row);
    if (row == nullptr || !place_.column) return {};
    for (const Stage& stage : row->chain) {
        if (processorType(stage.type).home == *place_.column) return stage.id;
    }
    return {};
}

std::string EvidencePanel::step() const {
    if (!place_.column) return {};
    switch (*place_.column) {
        case Column::align:
            return "align";
        case Column::gate:
            return "gate";
        case Column::repair:
            return "repair";
        case Column::dynamics:
            return "dynamics";
        case Column::colour:
            return "colour";
        case Column::seat:
            return "seat";
        default:
            return {};
    }
}

// The proposal of this step for the row; its stage may be another than the column's first, or one
// that is still to be added.
const Proposal* EvidencePanel::proposal() const {
    const std::string wanted = step();
    if (wanted.empty()) return nullptr;
    if (const Proposal* own = listener_.proposalOf(place_.row, wanted)) return own;
    // What a bus is advised on goes by the step it is done in.
    for (const Proposal* p : listener_.open("bus")) {
        const std::string type = p->stageType.empty() ? p->stage : p->stageType;
        if (p->row == place_.row && p->feeds.empty() && p->readyBus.empty() &&
            processorType(type).home == *place_.column)
            return p;
    }
    return nullptr;
}

void EvidencePanel::fillEffects(const Proposal* proposal) {
    while (QLayoutItem* item = effectRows_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    effects_->setVisible(proposal != nullptr && !proposal->effects.empty());
    if (!effects_->isVisibleTo(this)) return;
    const auto put = [&](int line, int column, int span, const QString& text, bool quiet) {
        QLabel* cell = evidenceLabel(effects_, 12, QFont::Normal, quiet);
        cell->setText(text);
        cell->setWordWrap(span > 1);
        cell->setAlignment((column == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
        effectRows_->addWidget(cell, line, column, 1, span);
        cell->show();  // at once, so that it counts for the height below
    };
    put(0, 0, 1, tr("before → predicted"), true);
    put(0, 1, 1, tr("measured"), true);
    int line = 1;
    for (const Effect& e : proposal->effects) {
        put(line, 0, 2, QString::fromStdString(e.what), true);
        const QString foretold = valueOrDash(e.predicted, e.unit);
        put(line + 1, 0, 1,
            e.before ? figure(*e.before, e.unit == "%" ? 0 : 1) + " → " + foretold : foretold,
            false);
        put(line + 1, 1, 1, valueOrDash(e.measured, e.unit), false);
        line += 2;
    }
}

// The step's name among the ways of working; empty where there is only one.
std::string EvidencePanel::waysStep() const {
    if (place_.column == Column::repair) return "eq";
    const std::string name = step();
    const bool known = std::any_of(waysByStep().begin(), waysByStep().end(),
                                   [&](const auto& way) { return way.first == name; });
    return known ? name : std::string();
}

void EvidencePanel::fillSchools() {
    static const std::map<std::string, QStringList> labels{
        {"align", {tr("Only within a drum"), tr("Everything to the overheads")}},
        {"gate", {tr("Opened by strokes"), tr("Opened by level")}},
        {"eq", {tr("EQ before the compressor"), tr("EQ behind the compressor")}},
        {"dynamics",
         {tr("Slow attack, for punch"), tr("Fast attack, for density"), tr("Two in series")}},
        {"colour", {tr("Clean"), tr("Coloured")}}};
    const std::string step = waysStep();
    school_->clear();
    if (!step.empty()) {
        school_->addItems(labels.at(step));
        school_->setCurrentIndex(static_cast<int>(wayOf(workspace_.session().ways, step)));
    }
    school_->setVisible(!step.empty());
    schoolTitle_->setVisible(!step.empty());
}

QString EvidencePanel::nothingProposed(const Row& row) const {
    QString nothing = tr("Nothing is proposed here.");
    if (place_.column != Column::dynamics) return nothing;
    const std::string why = whyNoCompression(workspace_.session(), *listener_.measured(), row);
    return why.empty() ? nothing : QString::fromStdString(why);
}

void EvidencePanel::refresh() {
    const Row* row = findRow(workspace_.session(), place_.row);
    const bool listening = listener_.listening();
    progress_->setVisible(listening);
    stop_->setVisible(listening || !listener_.problem().isEmpty());
    stop_->setText(listening ? tr("Stop listening") : tr("Listen again"));
    const std::string stage = stageId();
    const std::string drum =
        row == nullptr ? std::string{} : drumOfRow(workspace_.session(), row->id);
    row_->setText(row == nullptr ? tr("Evidence") : QString::fromStdString(row->name));
    title_->setText(row == nullptr ? tr("Choose a cell")
                                   : (place_.column ? columnLabel(*place_.column) : tr("Row")));
    const Proposal* proposal = this->proposal();
    std::optional<double> threshold;
    if (row != nullptr && place_.column == Column::gate) {
        // Not the column's first: the bleed step stands there too.
        const auto gate = std::find_if(row->chain.begin(), row->chain.end(),
                                       [](const Stage& s) { return s.type == "gate"; });
        const ParameterTable table = processorType("gate").table;
        const auto value = [&](const char* id) {
            return gate->values[static_cast<std::size_t>(parameterIndex(table, id))];
        };
        if (gate != row->chain.end() && gate->on && value("key-source") < 0.5)
            threshold = value("threshold");
    }
    picture_->show(row == nullptr || drum.empty() ? nullptr : listener_.measured(), drum,
                   place_.row, step(), threshold);
    if (row != nullptr) {
        const auto measured = listener_.measured();
        const auto trace = tracer_.of(row->id);
        facts_->setText(
            evidenceFacts(workspace_.session(), measured.get(), trace.get(), *row, place_.column)
                .join("\n"));
    }
    facts_->setVisible(row != nullptr && !facts_->text().isEmpty());
    const bool done = proposal != nullptr && listener_.accepted(*proposal);
    proposal_->setText(proposal == nullptr ? QString() : QString::fromStdString(proposal->title));
    proposal_->setVisible(proposal != nullptr);
    QString reason = proposal == nullptr ? QString() : QString::fromStdString(proposal->reason);
    if (proposal != nullptr) {
        for (const std::string& usual : usualBeside(workspace_.session(), *proposal))
            reason += "\n" + QString::fromStdString(usual);
    }
    reason_->setText(reason);
    reason_->setVisible(proposal != nullptr);
    question_->show(row);
    fillEffects(proposal);
    int more = -1;  // besides the one that is shown
    for (const Proposal* p : listener_.open(step())) more += p->row == place_.row ? 1 : 0;
    if (!listening) {
        const QString state =
            !listener_.problem().isEmpty()    ? listener_.problem()
            : done                            ? tr("Accepted.")
            : more > 0 && proposal != nullptr ? tr("%1 more after this one.").arg(more)
            : more >= 0 && proposal == nullptr
                ? tr("%1 proposed for this row: choose a step.").arg(more + 1)
            : proposal == nullptr && row != nullptr && listener_.measured() ? nothingProposed(*row)
                                                                            : QString();
        state_->setText(state);
    }
    state_->setVisible(!state_->text().isEmpty());
    accept_->setVisible(proposal != nullptr && !done);
    decline_->setVisible(proposal != nullptr && !done);
    adjust_->setVisible(!stage.empty());
    fillSchools();
    target_->show(row, place_.column);
    const std::size_t open = listener_.open(step()).size();
    acceptAll_->setVisible(!step().empty() && open > 1);
    acceptAll_->setText(tr("Accept this step for the kit (%1)").arg(open));
    // Sentences are as high as their width makes them, which a scroll area does not ask for.
    const int bar = scroll_->verticalScrollBar()->sizeHint().width();
    auto* box = static_cast<QBoxLayout*>(body_->layout());
    effectRows_->activate();
    for (QWidget* part : std::initializer_list<QWidget*>{question_, target_}) {
        part->layout()->invalidate();
        part->layout()->activate();
    }
    box->invalidate();
    body_->setMinimumHeight(box->totalHeightForWidth(kWidth - bar));
}

}  // namespace ember::app
