"""Tables as others write them: what kind of file it is, how it is to be read, and its rows; and tables written.

Whatever comes (delimited text, spreadsheets, JSON, XML, packed or not) is read as headers and rows of text, each with
its place in the file. What is not delimited text is unfolded once, in a process apart, into delimited text of ours.
"""
