"""Tables of counts, what a colleague would say of them, and relations that turn round."""
