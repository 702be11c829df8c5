"""The made-up clinic: Juniper Quay Clinic in Marrow Harbor. Everything here is invented and comes out the
same from the same seed.
"""
