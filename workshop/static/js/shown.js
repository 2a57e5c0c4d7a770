// A work of somebody else, or patterns of the club's: looked at, never changed.
import { watch } from "./seen.js";
import "./said.js";
import "./keys.js";

watch(document);
