"""The manual: one page in Markdown for each station and subject, as data that ships."""
