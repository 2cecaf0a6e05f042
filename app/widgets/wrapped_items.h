// Items of a list whose words wrap.
#pragma once

#include <QListWidget>

namespace ember::app {

// From now on the list shows every item whole, in as many lines as its words need in the list's
// width. Qt's own wrapping cuts a last word that by a fraction of a pixel does not fit.
void wrapItems(QListWidget* list);

}  // namespace ember::app
