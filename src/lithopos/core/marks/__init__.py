"""Marks made sharper than a hand: refined on the picture itself."""
