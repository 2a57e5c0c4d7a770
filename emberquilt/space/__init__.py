"""Works that are not flat: parts that stand in slots, bodies in slices, blocks sawn from two sides."""
