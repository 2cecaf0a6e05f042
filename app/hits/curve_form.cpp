#include "app/hits/curve_form.h"

#include "app/widgets/labels.h"
#include "app/widgets/parameter_field.h"

#include <QPushButton>

namespace ember::app {

QFormLayout* curveForm(QDialog* dialog, const Session& session, const CurvePlace& place) {
    auto* form = new QFormLayout(dialog);
    form->setContentsMargins(18, 14, 18, 14);
    form->setSpacing(8);
    form->addRow(titleLabel(QString::fromStdString(findRow(session, place.row)->name + " · " +
                                                   curveTitle(session, place)),
                            dialog));
    return form;
}

void addLine(QFormLayout* form, const QString& text, QWidget* field) {
    form->addRow(text, field);
    field->setAccessibleName(text);
}

NumberEdit* numberField(QDialog* dialog, const char* name, const Parameter& parameter,
                        double value) {
    auto* edit = new NumberEdit(parameter, dialog);
    edit->setObjectName(name);
    edit->setValue(value);
    return edit;
}

QDialogButtonBox* endForm(QDialog* dialog, QFormLayout* form, const char* name,
                          const QString& text) {
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, dialog);
    buttons->addButton(text, QDialogButtonBox::AcceptRole)->setObjectName(name);
    form->addRow(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    return buttons;
}

}  // namespace ember::app
