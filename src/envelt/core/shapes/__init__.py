"""The shape of sorted values: quantiles, bins, densities, peaks, spikes."""
