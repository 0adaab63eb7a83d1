"""Worn places: what repeats where the shaft is, pooled over its passes."""
