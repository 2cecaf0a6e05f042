// A spin box that shows a true minus, as all figures of the application do, and takes either.
#pragma once

#include <QDoubleSpinBox>

namespace ember::app {

class MinusBox : public QDoubleSpinBox {
  public:
    using QDoubleSpinBox::QDoubleSpinBox;

    [[nodiscard]] QString textFromValue(double value) const override {
        return QDoubleSpinBox::textFromValue(value).replace('-', QChar(0x2212));
    }
    [[nodiscard]] double valueFromText(const QString& text) const override {
        return QDoubleSpinBox::valueFromText(plain(text));
    }
    QValidator::State validate(QString& text, int& at) const override {
        QString typed = plain(text);
        return QDoubleSpinBox::validate(typed, at);
    }

  private:
    static QString plain(QString text) { return text.replace(QChar(0x2212), '-'); }
};

}  // namespace ember::app
