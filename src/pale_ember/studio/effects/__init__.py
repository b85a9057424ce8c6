"""The screen of a folder: its effects as living pictures, its pictures, and what it shares."""
