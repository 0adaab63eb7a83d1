"""The engine as a witness: does the air that it takes agree with the opening that is reported?"""
