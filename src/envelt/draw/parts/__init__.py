"""What pictures share: the style, labels, axes, groups."""
