"""Feature edges: found by angle, along ridges, on noisy surfaces, by hand, and tidied up."""
