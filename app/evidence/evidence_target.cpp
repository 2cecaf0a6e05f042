#include "app/evidence/evidence_target.h"

#include "app/evidence/evidence_label.h"
#include "app/widgets/minus_box.h"
#include "core/advise/proposal.h"
#include "core/measure/kit/kit_mics.h"

#include <QLineEdit>
#include <QVBoxLayout>

namespace ember::app {
namespace {

constexpr double kNoNote = 20.0;  // Hz: the least a spin box shows stands for none

// Kinds of drums with a target, as people call them.
QString targetWord(const std::string& what) {
    if (what == "hihat") return QObject::tr("hats");
    if (what == "tom") return QObject::tr("toms");
    if (what == "cymbal") return QObject::tr("cymbals");
    if (what == "overhead") return QObject::tr("overheads");
    if (what == "kit") return QObject::tr("the whole kit");
    return QString::fromStdString(what);
}

// The drum whose note can be wanted at this place; empty: none.
std::string notedDrum(const Session& session, const Row* row, std::optional<Column> column) {
    const std::string drum =
        row != nullptr && column == Column::repair ? drumOfRow(session, row->id) : std::string{};
    return hasNote(drum) ? drum : std::string{};
}

}  // namespace

EvidenceTarget::EvidenceTarget(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    title_ = evidenceLabel(this, 12, QFont::Normal, true);
    value_ = new MinusBox(this);
    value_->setObjectName("evidence-target");
    value_->setDecimals(1);
    value_->setSingleStep(0.5);
    value_->setKeyboardTracking(false);
    value_->setAccessibleName(tr("Target"));
    value_->findChild<QLineEdit*>()->setAccessibleName(value_->accessibleName());
    box->addWidget(title_);
    box->addWidget(value_);
    connect(value_, &MinusBox::valueChanged, this, &EvidenceTarget::put);
}

void EvidenceTarget::show(const Row* row, std::optional<Column> column) {
    row_ = row != nullptr ? row->id : std::string{};
    column_ = column;
    const std::string drum = notedDrum(workspace_.session(), row, column);
    const LevelTarget* level =
        row != nullptr && column == Column::seat ? targetFor(workspace_.session(), *row) : nullptr;
    setVisible(!drum.empty() || level != nullptr);
    if (!drum.empty()) return showNote(drum);
    if (level != nullptr) showLevel(*level);
}

void EvidenceTarget::showNote(const std::string& drum) {
    title_->setText(tr("Note wanted of the %1")
                        .arg(QString::fromStdString(drumName(workspace_.session(), drum))));
    const QSignalBlocker quiet(value_);
    value_->setRange(kNoNote, 1000.0);
    value_->setSpecialValueText(tr("none"));
    value_->setSuffix(tr(" Hz"));
    value_->setToolTip(
        tr("What this drum is checked against; where it lies off, tuning is proposed."));
    const double wanted = noteTarget(workspace_.session(), drum);
    value_->setValue(wanted > 0.0 ? wanted : kNoNote);
}

void EvidenceTarget::showLevel(const LevelTarget& target) {
    title_->setText(tr("Target: %1 of %2")
                        .arg(!target.peak ? tr("average loudness")
                             : target.strokes == TargetStrokes::loudest
                                 ? tr("peak of the loudest strokes")
                                 : tr("peak of the usual strokes"),
                             targetWord(target.what)));
    const QSignalBlocker quiet(value_);
    value_->setRange(-80.0, 0.0);
    value_->setSpecialValueText({});
    value_->setToolTip(tr("What rough levels aim at, for every element of this kind."));
    value_->setSuffix(target.peak ? tr(" dBFS") : tr(" LUFS"));
    value_->setValue(target.db);
}

void EvidenceTarget::put(double value) {
    const Row* row = findRow(workspace_.session(), row_);
    if (const std::string drum = notedDrum(workspace_.session(), row, column_); !drum.empty()) {
        workspace_.edit(withNoteTarget(workspace_.session(), drum, value <= kNoNote ? 0.0 : value),
                        "note " + drum);
        return;
    }
    const LevelTarget* now = row != nullptr ? targetFor(workspace_.session(), *row) : nullptr;
    if (now == nullptr) return;
    LevelTarget target = *now;
    target.db = value;
    Session next = workspace_.session();
    std::erase_if(next.targets, [&](const LevelTarget& t) { return t.what == target.what; });
    next.targets.push_back(target);
    workspace_.edit(std::move(next), "target " + target.what);
}

}  // namespace ember::app
