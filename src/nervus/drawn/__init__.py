"""What of a recording the eye can see: envelopes, folds and pairs, without a screen."""
