"""How things stand: where their models come to lie, what carries them, and how they come to rest."""
