"""A folder of effects built as a whole: checked, packaged, pictured, and only what changed."""
