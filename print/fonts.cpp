#include "print/fonts.h"

#include <QFontDatabase>
#include <QString>

// Resources of a static library have to be asked for, outside any namespace.
static void loadResources() {
    Q_INIT_RESOURCE(print);
}

namespace ember {

void loadFonts() {
    static const bool loaded = [] {
        loadResources();
        for (const char* name : {"Regular", "Medium", "SemiBold"})
            QFontDatabase::addApplicationFont(QString(":/print/fonts/Inter-%1.otf").arg(name));
        return true;
    }();
    (void)loaded;
}

}  // namespace ember
