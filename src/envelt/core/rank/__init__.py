"""All candidates by what each alone says."""
