// Everything of one layer that can be set, in the order of the work: the sound, its place, what
// strikes it.
#pragma once

#include "app/widgets/parameter_field.h"

#include <QScrollArea>

namespace ember::app {

class LayerFields : public QScrollArea {
    Q_OBJECT
  public:
    explicit LayerFields(Workspace& workspace, QWidget* parent = nullptr);
    // An empty layer: nothing.
    void show(const std::string& row, const std::string& layer);
    void refresh();

  private:
    void showWhatCounts();

    Workspace& workspace_;
    std::string row_, layer_;
    std::vector<ParameterField*> fields_;
};

}  // namespace ember::app
