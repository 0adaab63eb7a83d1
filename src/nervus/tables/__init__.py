"""Text tables of any program: what their text, layout, columns, units and stamps are."""
