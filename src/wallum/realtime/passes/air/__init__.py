"""Participating media: fog volume, pockets, cards, transparent layers."""
