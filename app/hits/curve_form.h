// What the dialogs about one curve are made of.
#pragma once

#include "core/session/curves.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>

namespace ember::app {

class NumberEdit;

// A form in the dialog, under the name of what moves.
QFormLayout* curveForm(QDialog* dialog, const Session& session, const CurvePlace& place);
// A line of it; the field is called by its text.
void addLine(QFormLayout* form, const QString& text, QWidget* field);
NumberEdit* numberField(QDialog* dialog, const char* name, const Parameter& parameter,
                        double value);
// Its last line: a button that accepts, and one that cancels.
QDialogButtonBox* endForm(QDialog* dialog, QFormLayout* form, const char* name,
                          const QString& text);

}  // namespace ember::app
