// Palettes beside each other: Escape goes back.
import "./keys.js";
import "./said.js";
