"""What lives as long as the server: the engine and its tables, answers under way, findings, processes beside.

`studio` owns the engine and the stores; `kept` is the one door to its tables; `changes` the one to flows.
"""
