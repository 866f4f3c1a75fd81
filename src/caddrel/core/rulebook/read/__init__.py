"""Reading rulebooks: the model, or every problem at its place."""
