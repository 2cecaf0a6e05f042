// The face that ships with the application.
#pragma once

namespace ember {

// Makes "Inter" known to Qt; once, from the thread of the application.
void loadFonts();

}  // namespace ember
