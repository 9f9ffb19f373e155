"""What a proposal of features and their forms costs or gains on rows held out."""
