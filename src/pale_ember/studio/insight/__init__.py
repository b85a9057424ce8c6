"""What the tool knows of an effect beside the stage: checks and mends, cost, thinning."""
