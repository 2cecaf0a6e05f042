// How sure a role is, told by shape first: a closed wedge for sure, an open one for likely, a
// broken one for not sure.
#pragma once

#include "core/session/session.h"

#include <QPainter>
#include <QString>

namespace ember::app {

enum class Certainty { sure, likely, unsure };
Certainty certaintyOf(Role role, const Identity& who);
QString certaintyLabel(Certainty certainty);
void paintCertainty(QPainter& painter, const QRectF& area, Certainty certainty);

// "its name and its sound"; empty where nothing is known.
QString groundsLabel(const Identity& who);
// One or two sentences about who a row is, with a blank behind; empty where nobody doubts.
QString whoText(const Row& row);
// What a row may be, the likeliest first; what is not known is no answer.
std::vector<Likely> likeliest(Role role, const Identity& who);
inline std::vector<Likely> likeliest(const Row& row) {
    return likeliest(row.role, row.who);
}
// Roles as a person chooses them, in the order of a kit.
const std::vector<Role>& rolesToChoose();
QString roleName(Role role);

}  // namespace ember::app
