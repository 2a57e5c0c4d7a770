"""Parts on boards: laid at first, pressed apart, settled exactly. It knows outlines and faces, no wood."""
