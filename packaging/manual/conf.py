"""How Sphinx makes HTML of the manual; called by script/manual."""

project = "Nervus"
author = "The Nervus authors"
extensions = ["myst_parser"]
exclude_patterns = ["__init__.py", "__pycache__"]
html_theme = "alabaster"
html_theme_options = {"nosidebar": False, "font_family": "B612, sans-serif", "page_width": "1080px"}
html_copy_source = False
html_show_sourcelink = False
