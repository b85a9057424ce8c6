"""One grammar for all that is written: what a number, a colour, a curve is called, what a line of wishes means, and how a
sentence is read back."""
