"""Questions about shape on plain arrays: no ``Mesh`` here."""
