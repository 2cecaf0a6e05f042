// What a row sends to other buses beside its own: each with its level, its pan, where it is taken
// and whether it is on; and a button for one more.
#pragma once

#include "app/widgets/parameter_field.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

#include <string>
#include <vector>

namespace ember::app {

// A tick box whose words give way where there is no room for them.
class ShortCheckBox : public QCheckBox {
  public:
    ShortCheckBox(QString words, QWidget* parent);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    QString words_;
};

class SendList : public QWidget {
    Q_OBJECT
  public:
    SendList(Workspace& workspace, std::string row, QWidget* parent = nullptr);
    // Reads the session again.
    void refresh();

  private:
    struct Line {
        std::string to;
        QCheckBox* on = nullptr;
        NumberEdit *level = nullptr, *pan = nullptr;
        QComboBox* from = nullptr;
    };
    void rebuild(const Row& row);
    Line makeLine(const Send& send, const QString& bus);
    NumberEdit* makeNumber(QWidget* parent, QVBoxLayout* into, int seatIndex, const QString& bus,
                           const std::string& to, double Send::*value);
    // Changes the send to a bus as it is now.
    void change(const std::string& to, const std::string& gesture,
                const std::function<void(Send&)>& how);

    Workspace& workspace_;
    std::string row_;
    QWidget* lines_ = nullptr;
    std::vector<Line> built_;
};

}  // namespace ember::app
