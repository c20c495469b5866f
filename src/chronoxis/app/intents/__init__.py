"""The first evening: from an intention and footage to a result that can be changed."""
