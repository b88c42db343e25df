"""The benches: one a station, with its inputs, results and cautions."""
