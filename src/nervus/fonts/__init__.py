"""The typeface that ships: B612, under the SIL Open Font License 1.1."""
