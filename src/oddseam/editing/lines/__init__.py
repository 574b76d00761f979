"""Lines on a surface: found, laid, imprinted and followed."""
