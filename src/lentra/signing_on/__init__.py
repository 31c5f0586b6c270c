"""Single sign-on: what is asked of an identity provider, and how its answers are proved."""
