"""People and groups as directories keep them (SCIM 2.0: RFC 7643, RFC 7644).

Not here: people and groups as we keep them (`inventory`).
"""
