"""From results of the core to views: tables of labels and numbers, and the picture that goes with them."""
