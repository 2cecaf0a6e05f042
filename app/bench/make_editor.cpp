// The only place that knows which editor belongs to which processor.

#include "app/bench/align_editor.h"
#include "app/bench/bleed_editor.h"
#include "app/bench/dynamics_editor.h"
#include "app/bench/eq_editor.h"
#include "app/bench/gate_editor.h"
#include "app/bench/seat_editor.h"
#include "app/bench/shape_editor.h"

namespace ember::app {

StageEditor* makeEditor(Bench bench, const std::string& row, const std::string& stage,
                        EditorSize size, QWidget* parent) {
    const Row* r = findRow(bench.workspace.session(), row);
    const Stage* s = r != nullptr ? findStage(*r, stage) : nullptr;
    if (s == nullptr) return nullptr;
    if (s->type == "align") return new AlignEditor(bench, row, stage, size, parent);
    if (s->type == "bleed") return new BleedEditor(bench, row, stage, size, parent);
    if (s->type == "gate") return new GateEditor(bench, row, stage, size, parent);
    if (s->type == "eq") return new EqEditor(bench, row, stage, size, parent);
    if (s->type == "compressor") return new DynamicsEditor(bench, row, stage, size, parent);
    if (s->type == "seat") return new SeatEditor(bench, row, stage, size, parent);
    if (ShapeEditor::edits(s->type)) return new ShapeEditor(bench, row, stage, size, parent);
    return nullptr;
}

}  // namespace ember::app
