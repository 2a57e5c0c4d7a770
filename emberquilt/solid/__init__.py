"""Bodies: closed meshes, their sections, what two outlines leave of a block, and what can be slid out of what. Knows no
wood."""
