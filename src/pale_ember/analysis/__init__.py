"""What looks an effect through in a process of its own, so that neither the window nor the stage waits for it."""
