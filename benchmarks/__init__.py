"""Speed, as ratios to a named baseline measured in the same run. `./run bench` prints them all;
nothing is asserted.
"""
