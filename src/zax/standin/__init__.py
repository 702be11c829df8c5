"""The outside world in small: card terminal, clearinghouse with payers, mail server. Shares only open formats
with the product.
"""
