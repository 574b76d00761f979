"""Editing the connectivity of meshes without geometry: openings, lines, borders; identifiers elsewhere stay."""
